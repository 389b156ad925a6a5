/** Everything that the register says of a device, to be changed. */
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { client, problemOf, told } from '../../api/client';
import { useGuides, useNames } from '../../api/queries';
import { Choice, Field } from '../../ui/Field';
import { Failed, Loading, Refused } from '../../ui/States';

const STATES = [
  { value: 'in_use', label: 'in use' },
  { value: 'away', label: 'away: its promise is not counted' },
  { value: 'in_repair', label: 'in repair: its promise is not counted' },
  { value: 'lost', label: 'lost: its key is withdrawn, its backups stay' },
  { value: 'retired', label: 'retired: no more runs, its backups stay' },
];

export function ChangeDevice({ id, onDone }: { id: string; onDone: () => void }) {
  const entry = useQuery({
    queryKey: ['devices', id, 'entry'],
    queryFn: () => told(client.GET('/api/devices/{id}/change', { params: { path: { id } } })),
    gcTime: 0,
  });
  if (entry.isPending) return <Loading what="its entry" />;
  if (entry.isError) return <Failed problem={problemOf(entry.error)} />;
  return <Form id={id} first={entry.data.values_told} onDone={onDone} />;
}

function Form({ id, first, onDone }: { id: string; first: Record<string, string>; onDone: () => void }) {
  const names = useNames();
  const guides = useGuides();
  const queries = useQueryClient();
  const [values, setValues] = useState(first);
  const changed = Object.fromEntries(Object.entries(values).filter(([name, value]) => first[name] !== value));
  const save = useMutation({
    mutationFn: () => told(client.PUT('/api/devices/{id}/change', { params: { path: { id } }, body: { values_told: changed } })),
    onSuccess: async () => {
      await queries.invalidateQueries();
      onDone();
    },
  });
  const problem = save.error ? problemOf(save.error) : null;
  const field = (name: string, label: string, more: object = {}) => (
    <Field label={label} value={values[name] ?? ''} onChange={(value) => setValues({ ...values, [name]: value })} problem={problem} field={name} {...more} />
  );
  return (
    <form
      className="sheet pad mb-3"
      aria-label="Entry of the register"
      onSubmit={(event) => {
        event.preventDefault();
        save.mutate();
      }}
    >
      <Refused problem={problem} />
      <div className="quarters">
        {field('name', 'Name')}
        {field('holder', 'Holder', { suggestions: names.data?.holders })}
        {field('team', 'Team', { suggestions: names.data?.teams })}
        <Choice label="State" value={values['state'] ?? 'in_use'} onChange={(state) => setValues({ ...values, state, away_until: '' })} options={STATES} />
        {values['state'] === 'away' && field('away_until', 'Away until', { type: 'date' })}
        {field('serial', 'Serial')}
        {field('asset_tag', 'Asset tag')}
        <Choice
          label="Family"
          value={values['family'] ?? ''}
          onChange={(family) => setValues({ ...values, family })}
          options={(guides.data ?? []).map((guide) => ({ value: guide.code, label: guide.label }))}
        />
        {field('make', 'Make')}
        {field('model', 'Model')}
        {field('os_version', 'Version of its system')}
        {field('purchased_on', 'Purchased on', { type: 'date' })}
        {field('handed_over_on', 'Handed over on', { type: 'date' })}
      </div>
      {field('note', 'Note')}
      <div className="row-end">
        <Button type="submit" disabled={save.isPending || Object.keys(changed).length === 0}>
          Save
        </Button>
        <Button variant="outline-primary" onClick={onDone}>
          Leave it
        </Button>
      </div>
    </form>
  );
}
