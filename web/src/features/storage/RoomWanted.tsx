/** How much room is wanted: bytes, or a day until which the store is to last; what is proposed is ticked. */
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { useAct } from '../../api/act';
import { client, type Schemas } from '../../api/client';
import { useMay } from '../../api/may';
import { iec } from '../../ui/format';
import { DateField } from '../../ui/forms/DateField';
import { useAddress } from '../../ui/address';
import { Choice } from '../../ui/forms/Field';
import { Form } from '../../ui/forms/Form';
import { NumberField } from '../../ui/forms/NumberField';
import { SIZES } from '../../ui/forms/numbers';
import { Tonight } from './Tonight';

const HOWS = ['bytes', 'until', 'tonight'] as const;

interface Props {
  id: string;
  onProposed: (told: Schemas['Proposal']) => void;
}

type How = 'bytes' | 'until' | 'tonight';
const HOW: readonly { value: How; label: string }[] = [
  { value: 'bytes', label: 'so many bytes' },
  { value: 'until', label: 'so that it lasts until' },
  { value: 'tonight', label: 'so that tonight fits' },
];

export function Wanted({ id, onProposed }: Props) {
  const may = useMay();
  const address = useAddress();
  const how = address.oneOf('for', HOWS) ?? 'bytes';
  const setHow = (next: How) => address.set('for', next);
  const [bytes, setBytes] = useState<number | null>(null);
  const [until, setUntil] = useState('');
  const body = how === 'bytes' ? { bytes, until: null } : { bytes: null, until: until || null };
  const propose = useAct(() => client.POST('/api/stores/{id}/room/proposal', { params: { path: { id } }, body }), [], onProposed);
  if (how === 'tonight') {
    return (
      <div className="sheet pad mb-3">
        <Choice<How> label="Free" value={how} onChange={setHow} options={HOW} />
        <Tonight id={id} />
      </div>
    );
  }
  if (!may('remove')) return null;
  return (
    <Form className="sheet pad mb-3 wanted" onSubmit={() => propose.go()} problem={propose.problem}>
      <Choice<How> label="Free" value={how} onChange={setHow} options={HOW} />
      {how === 'bytes' ? (
        <NumberField label="Bytes" value={bytes} onChange={setBytes} units={SIZES} least={1} field="bytes" />
      ) : (
        <DateField label="Day" value={until} onChange={setUntil} required field="until" />
      )}
      <Button type="submit" disabled={propose.busy || (how === 'bytes' ? bytes === null : !until)}>
        Propose
      </Button>
      {propose.told && <Said told={propose.told} />}
    </Form>
  );
}

function Said({
  told,
}: {
  told: { wanted_bytes: number; moves: readonly string[]; suffices: boolean; space: { title: string; loses: string } | null };
}) {
  if (told.wanted_bytes === 0) return <p className="mb-0 wide">It lasts until then without anything being done.</p>;
  return (
    <p className={`mb-0 wide ${told.suffices ? '' : 'tone-late'}`} role="status">
      {told.suffices
        ? `The shortest beginning of the ladder that frees ${iec(told.wanted_bytes)} is ticked; within its last step the least is lost.`
        : `All that can go does not free ${iec(told.wanted_bytes)}.`}
      {told.space && ` ${told.space.title} would do the same, and loses ${told.space.loses}.`}
    </p>
  );
}
