/** One change for every chosen device, and the way to take the last one back. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { useAct } from '../../api/act';
import { client, told } from '../../api/client';
import { key } from '../../api/keys';
import { useNames } from '../../api/queries';
import { LetLeave } from '../../parts/leaving/LetLeave';
import { useDevicesSaving } from '../../parts/leaving/devices';
import { Form } from '../../ui/forms/Form';
import { counted } from '../../ui/format';
import { DateField } from '../../ui/forms/DateField';
import { Choice, Field } from '../../ui/forms/Field';
import { Age, useNow } from '../../ui/Office';
import { Refused } from '../../ui/States';

const COLUMNS = [
  { value: 'team', label: 'Team' },
  { value: 'holder', label: 'Holder' },
  { value: 'state', label: 'State' },
  { value: 'handed_over_on', label: 'Handed over on' },
  { value: 'purchased_on', label: 'Purchased on' },
  { value: 'note', label: 'Note' },
];
const STATES = ['in_use', 'away', 'in_repair', 'left', 'lost', 'retired'].map((value) => ({
  value,
  label: value === 'left' ? 'left behind' : value.replace('_', ' '),
}));

export function ChangeMany({ ids, onAll, onDone }: { ids: string[]; onAll: () => void; onDone: () => void }) {
  const [column, setColumn] = useState('team');
  const [value, setValue] = useState('');
  const [until, setUntil] = useState('');
  const values = {
    [column]: column === 'state' ? value || 'in_use' : value,
    ...(column === 'state' && value === 'away' && until ? { away_until: until } : {}),
  };
  const save = useDevicesSaving(ids, onDone);
  return (
    <>
      <Form
        className="sheet pad mb-2"
        label="Change the chosen devices"
        onSubmit={() => save.go({ values_told: values })}
        problem={save.problem}
      >
        <div className="row-end align-items-end">
          <strong className="me-2" aria-live="polite">
            {counted(ids.length, 'device')} chosen
          </strong>
          <Button size="sm" variant="outline-primary" onClick={onAll}>
            Choose all shown
          </Button>
          <Choice
            label="Change"
            value={column}
            onChange={(next) => {
              setColumn(next);
              setValue('');
            }}
            options={COLUMNS}
          />
          <To column={column} value={value} onChange={setValue} />
          {column === 'state' && value === 'away' && <DateField label="Last day away" value={until} onChange={setUntil} />}
          <Button type="submit" className="mb-2" disabled={ids.length === 0 || save.busy}>
            Change {counted(ids.length, 'device')}
          </Button>
        </div>
      </Form>
      <LetLeave save={save} />
    </>
  );
}

function To({ column, value, onChange }: { column: string; value: string; onChange: (value: string) => void }) {
  const names = useNames();
  if (column.endsWith('_on')) return <DateField label="to" value={value} onChange={onChange} />;
  if (column === 'state') return <Choice label="to" value={value || 'in_use'} onChange={onChange} options={STATES} />;
  const suggestions = column === 'team' ? names.data?.teams : column === 'holder' ? names.data?.holders : undefined;
  return <Field label="to" value={value} onChange={onChange} suggestions={suggestions} />;
}

export function LastChange() {
  const last = useQuery({ queryKey: key('devices', 'changes'), queryFn: () => told(client.GET('/api/devices/changes')) });
  const undo = useAct((id: string) => client.POST('/api/devices/changes/{id}/undo', { params: { path: { id } } }), ['device', 'people']);
  const now = useNow();
  const [hidden, setHidden] = useState<string | null>(null);
  const details = last.data?.[0];
  const left = undo.told?.left ?? [];
  const recent = details && now - new Date(details.at).getTime() < 24 * 3_600_000;
  return (
    <>
      <Refused problem={undo.problem} />
      {undo.done && (
        <p className="said" role="status">
          Taken back.{left.length > 0 && ` Left as it is, because it has been changed since: ${left.join(', ')}.`}
        </p>
      )}
      {recent && hidden !== details.id && (
        <p className="said row-end">
          <span>
            {details.says}{' '}
            <span className="quiet">
              by {details.by_name}, <Age at={details.at} />
            </span>
          </span>
          <Button size="sm" variant="outline-primary" disabled={undo.busy} onClick={() => undo.go(details.id)}>
            Take it back
          </Button>
          <Button size="sm" variant="outline-primary" onClick={() => setHidden(details.id)}>
            Hide
          </Button>
        </p>
      )}
    </>
  );
}
