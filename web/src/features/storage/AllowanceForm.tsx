/** Sets what a team, a device or the store itself may hold. */
import { useState } from 'react';

import { client, type Schemas } from '../../api/client';
import { useDevices, useTeams } from '../../api/queries';
import { useSave } from '../../api/save';
import { Dialog } from '../../ui/forms/Dialog';
import { Choice } from '../../ui/forms/Field';
import { NumberField } from '../../ui/forms/NumberField';
import { SIZES } from '../../ui/forms/numbers';
import { COUNTS, type Allowance } from './quotas';

interface Props {
  storeId: string;
  /** The one that is changed; null for a new one. */
  of: Allowance | null;
  onClose: () => void;
}

export function AllowanceForm({ storeId, of, onClose }: Props) {
  const [owner, setOwner] = useState(of?.team ? `team ${of.team}` : of?.device ? `device ${of.device}` : '');
  const [given, setGiven] = useState({
    soft_bytes: of?.soft_bytes ?? null,
    hard_bytes: of?.hard_bytes ?? null,
    grace_days: of?.grace_days ?? 7,
    soft_counts: of?.soft_counts ?? ('needed' as const),
  });
  const put = (changes: Partial<typeof given>) => setGiven((before) => ({ ...before, ...changes }));
  const [what, id = ''] = owner.split(' ');
  const body = { ...given, team: what === 'team' ? Number(id) : null, device: what === 'device' ? id : null };
  const save = useSetting(storeId, of, onClose);
  return (
    <Dialog
      title={of ? `The allowance of ${of.of}` : 'An allowance'}
      action="Set it"
      onSubmit={() => save.go(body)}
      onCancel={onClose}
      problem={save.problem}
      onOver={save.over}
      busy={save.busy}
    >
      {!of && <Owner value={owner} onChange={setOwner} />}
      <NumberField
        label="Calls somebody above"
        value={given.soft_bytes}
        onChange={(soft_bytes) => put({ soft_bytes })}
        units={SIZES}
        optional
        field="soft_bytes"
        hint="Soft: nothing stops. Empty for none."
      />
      <Counts value={given.soft_counts} onChange={(soft_counts) => put({ soft_counts })} />
      <NumberField
        label="After days above it"
        value={given.grace_days}
        onChange={(grace_days) => put({ grace_days: grace_days ?? 0 })}
        least={0}
        most={365}
        whole
        field="grace_days"
      />
      <Hard store={owner === '' && !of?.team && !of?.device} value={given.hard_bytes} onChange={(hard_bytes) => put({ hard_bytes })} />
    </Dialog>
  );
}

function useSetting(storeId: string, of: Allowance | null, onClose: () => void) {
  return useSave(
    (given: Schemas['GivenAllowanceRequest']) =>
      client.PUT('/api/stores/{id}/allowances', { params: { path: { id: storeId } }, body: given }),
    of ? { soft_bytes: of.soft_bytes, hard_bytes: of.hard_bytes, grace_days: of.grace_days, soft_counts: of.soft_counts } : {},
    'store',
    { after: onClose },
  );
}

function Counts({ value, onChange }: { value: Allowance['soft_counts']; onChange: (counts: Allowance['soft_counts']) => void }) {
  return (
    <Choice
      label="Counts"
      value={value}
      onChange={onChange}
      options={COUNTS}
      field="soft_counts"
      hint="Of the soft limit. The hard one counts all that it needs, so that nobody else’s act changes it."
    />
  );
}

function Hard({ store, value, onChange }: { store: boolean; value: number | null; onChange: (bytes: number | null) => void }) {
  if (store) return <p className="quiet mb-0">What the store itself may hold at most is its allowance: change the store for that.</p>;
  return (
    <NumberField
      label="Holds at most"
      value={value}
      onChange={onChange}
      units={SIZES}
      optional
      field="hard_bytes"
      hint="Hard: no run begins that would pass it. Empty for none."
    />
  );
}

function Owner({ value, onChange }: { value: string; onChange: (owner: string) => void }) {
  const teams = useTeams().data ?? [];
  const devices = useDevices({ page_size: 200 }).data?.results ?? [];
  const options = [
    { value: '', label: 'the store itself' },
    ...teams.map((one) => ({ value: `team ${one.id}`, label: `team ${one.name}` })),
    ...devices.map((one) => ({ value: `device ${one.id}`, label: `${one.name}, ${one.holder}` })),
  ];
  return <Choice label="Of" value={value} onChange={onChange} options={options} field="team" />;
}
