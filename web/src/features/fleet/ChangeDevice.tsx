import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { client, problemOf, told, type Schemas } from '../../api/client';
import { useNames } from '../../api/queries';
import { Choice, Field } from '../../ui/Field';
import { Refused } from '../../ui/States';

const STATES = [
  { value: 'in_use', label: 'in use' },
  { value: 'away', label: 'away: its promise is not counted' },
  { value: 'lost', label: 'lost: no more runs, its backups stay' },
  { value: 'retired', label: 'retired: no more runs, its backups stay' },
];

/** Name, holder, team and state of a device. */
export function ChangeDevice({ row, onDone }: { row: Schemas['DeviceRow']; onDone: () => void }) {
  const names = useNames();
  const queries = useQueryClient();
  const [body, setBody] = useState({
    name: row.name,
    holder: row.holder,
    team: row.team,
    state: row.device_state as Schemas['DeviceStateEnum'],
    away_until: row.away_until,
  });
  const save = useMutation({
    mutationFn: () => told(client.PUT('/api/devices/{id}/change', { params: { path: { id: row.id } }, body })),
    onSuccess: async () => {
      await queries.invalidateQueries();
      onDone();
    },
  });
  const problem = save.error ? problemOf(save.error) : null;
  return (
    <form
      className="sheet pad mb-3"
      onSubmit={(event) => {
        event.preventDefault();
        save.mutate();
      }}
    >
      <Refused problem={problem} />
      <div className="thirds">
        <Field label="Name" value={body.name} onChange={(name) => setBody({ ...body, name })} problem={problem} field="name" />
        <Field label="Holder" value={body.holder} onChange={(holder) => setBody({ ...body, holder })} suggestions={names.data?.holders} problem={problem} field="holder" />
        <Field label="Team" value={body.team} onChange={(team) => setBody({ ...body, team })} suggestions={names.data?.teams} />
      </div>
      <div className="thirds">
        <Choice label="State" value={body.state} onChange={(state) => setBody({ ...body, state: state as Schemas['DeviceStateEnum'] })} options={STATES} />
        {body.state === 'away' && (
          <Field label="Away until" type="date" value={body.away_until ?? ''} onChange={(day) => setBody({ ...body, away_until: day || null })} />
        )}
      </div>
      <div className="row-end">
        <Button type="submit" disabled={save.isPending}>
          Save
        </Button>
        <Button variant="outline-primary" onClick={onDone}>
          Leave it
        </Button>
      </div>
    </form>
  );
}
