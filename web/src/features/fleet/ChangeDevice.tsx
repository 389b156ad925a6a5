/** Everything that the register says of a device, to be changed. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { client, problemOf, told } from '../../api/client';
import { key } from '../../api/keys';
import { useGuides, useNames } from '../../api/queries';
import { LetLeave } from '../../parts/leaving/LetLeave';
import { useSeenSaving } from '../../parts/leaving/saving';
import { Form } from '../../ui/forms/Form';
import { DateField } from '../../ui/forms/DateField';
import { Choice, Field } from '../../ui/forms/Field';
import { Failed, Loading } from '../../ui/States';

const STATES = [
  { value: 'in_use', label: 'in use' },
  { value: 'away', label: 'away: its promise is not counted' },
  { value: 'in_repair', label: 'in repair: its promise is not counted' },
  { value: 'left', label: 'left behind by its holder: its promise is not counted' },
  { value: 'lost', label: 'lost: its key is withdrawn, its backups stay' },
  { value: 'retired', label: 'retired: no more runs, its backups stay' },
];

export function ChangeDevice({ id, onDone }: { id: string; onDone: () => void }) {
  const entry = useQuery({
    queryKey: key('devices', id, 'entry'),
    queryFn: () => told(client.GET('/api/devices/{id}/change', { params: { path: { id } } })),
    gcTime: 0,
  });
  if (entry.isPending) return <Loading what="its entry" />;
  if (entry.isLoadingError) return <Failed problem={problemOf(entry.error)} />;
  return <Entry id={id} first={entry.data.values_told} onDone={onDone} />;
}

type Values = Record<string, string>;

function Entry({ id, first, onDone }: { id: string; first: Values; onDone: () => void }) {
  const [values, setValues] = useState(first);
  const changed = Object.fromEntries(Object.entries(values).filter(([name, value]) => first[name] !== value));
  const read = Object.fromEntries(Object.keys(changed).map((name) => [name, first[name]]));
  const save = useEntrySaving(id, onDone);
  return (
    <>
      <Form
        unsaved={Object.keys(changed).length > 0 && !save.done}
        className="sheet pad mb-3"
        label="Entry of the register"
        onSubmit={() => save.go({ values_told: changed, read })}
        problem={save.problem}
        onOver={save.problem?.code === 'state.changed_meanwhile' ? () => save.go({ values_told: changed }) : undefined}
      >
        <Columns values={values} put={(changes) => setValues({ ...values, ...changes })} />
        <div className="row-end">
          <Button type="submit" disabled={save.busy || Object.keys(changed).length === 0}>
            Save
          </Button>
          <Button variant="outline-primary" onClick={onDone}>
            Cancel
          </Button>
        </div>
      </Form>
      <LetLeave save={save} />
    </>
  );
}

function Columns({ values, put }: { values: Values; put: (changes: Values) => void }) {
  const names = useNames();
  const guides = useGuides();
  const field = (name: string, label: string, more: object = {}) => (
    <Field label={label} value={values[name] ?? ''} onChange={(value) => put({ [name]: value })} field={name} {...more} />
  );
  const date = (name: string, label: string) => (
    <DateField label={label} value={values[name] ?? ''} onChange={(value) => put({ [name]: value })} field={name} />
  );
  return (
    <>
      <div className="quarters">
        {field('name', 'Name')}
        {field('holder', 'Holder', { suggestions: names.data?.holders })}
        {field('team', 'Team', { suggestions: names.data?.teams })}
        <Choice label="State" value={values['state'] ?? 'in_use'} onChange={(state) => put({ state, away_until: '' })} options={STATES} />
        {values['state'] === 'away' && date('away_until', 'Away until')}
        {field('serial', 'Serial')}
        {field('asset_tag', 'Asset tag')}
        <Choice
          label="Family"
          value={values['family'] ?? ''}
          onChange={(family) => put({ family })}
          options={(guides.data ?? []).map((guide) => ({ value: guide.code, label: guide.label }))}
        />
        {field('make', 'Make')}
        {field('model', 'Model')}
        {field('os_version', 'Version of its system')}
        {date('purchased_on', 'Purchased on')}
        {date('handed_over_on', 'Handed over on')}
      </div>
      {field('note', 'Note')}
    </>
  );
}

/** All columns, where the change of many takes those that make sense for many. */
function useEntrySaving(id: string, after: () => void) {
  return useSeenSaving(
    (body: { values_told: Record<string, string>; read?: Record<string, unknown> }) =>
      client.POST('/api/devices/change/consequences', { body: { values_told: body.values_told, devices: [id] } }),
    (body) => client.PUT('/api/devices/{id}/change', { params: { path: { id } }, body }),
    ['device', 'people'],
    after,
  );
}
