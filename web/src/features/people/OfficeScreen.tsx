/** The office itself and who may sign in. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { useAct } from '../../api/act';
import { client, told, type Schemas } from '../../api/client';
import { key } from '../../api/keys';
import { useMay } from '../../api/may';
import { useMe } from '../../api/queries';
import { useSave } from '../../api/save';
import { Form } from '../../ui/forms/Form';
import { Heading } from '../../ui/Screen';
import { NumberField } from '../../ui/forms/NumberField';
import { SPEEDS } from '../../ui/forms/numbers';
import { Choice, Field } from '../../ui/forms/Field';
import { OfficeTabs } from '../../ui/OfficeTabs';
import { Accounts, OwnPassword } from './Accounts';
import { Clock, ServerKey } from './Machine';
import { ROLES } from './words';

export function OfficeScreen() {
  const me = useMe();
  const may = useMay();
  const mayChange = may('set_up');
  return (
    <>
      <Heading title="Office" />
      <p className="sub">Where its nights begin and end, and who may sign in.</p>
      <OfficeTabs />
      <div className="halves">
        <section>
          <h2>The office</h2>
          {me.data?.office && <OfficeForm office={me.data.office} mayChange={mayChange} />}
          <Clock mayChange={mayChange} />
          {may('see_keys') && <ServerKey />}
        </section>
        <section>
          <h2>People who sign in</h2>
          <div className="sheet scroll">
            <Accounts />
          </div>
          {mayChange && <AddUser />}
          <OwnPassword />
        </section>
      </div>
    </>
  );
}

interface PartProps {
  body: Schemas['Office'];
  put: (next: Partial<Schemas['Office']>) => void;
  mayChange: boolean;
}

/** How slowly anything leaves, and when a word has to be typed for it. */
function Slowly({ body, put, mayChange }: PartProps) {
  return (
    <div className="halves">
      <NumberField
        label="What leaves waits"
        value={body.undo_days ?? 7}
        onChange={(undo_days) => put({ undo_days })}
        least={1}
        most={90}
        whole
        hint="Days on which it can be kept after all."
        field="undo_days"
        disabled={!mayChange}
      />
      <NumberField
        label="A word is typed above"
        value={body.unasked_share_percent ?? 20}
        onChange={(unasked_share_percent) => put({ unasked_share_percent })}
        least={0}
        most={100}
        whole
        hint="Percent of what a change or a removal concerns."
        field="unasked_share_percent"
        disabled={!mayChange}
      />
    </div>
  );
}

/** How much of the network backups may take. */
function Paces({ body, put, mayChange }: PartProps) {
  return (
    <div className="halves">
      <NumberField
        label="Runs at a time"
        value={body.max_runs ?? null}
        onChange={(max_runs) => put({ max_runs })}
        least={1}
        most={32}
        field="max_runs"
        disabled={!mayChange}
        hint="More wait for their turn."
      />
      <NumberField
        label="Speed limit for all together"
        value={body.limit_bytes_per_second ?? null}
        onChange={(limit_bytes_per_second) => put({ limit_bytes_per_second })}
        units={SPEEDS}
        least={1024}
        optional
        field="limit_bytes_per_second"
        disabled={!mayChange}
        hint="Divided among the runs under way; empty for none."
      />
    </div>
  );
}

function OfficeForm({ office, mayChange }: { office: Schemas['Office']; mayChange: boolean }) {
  const zones = useQuery({ queryKey: key('zones'), queryFn: () => told(client.GET('/api/zones')) });
  const [body, setBody] = useState(office);
  const save = useSave((given: Schemas['OfficeRequest']) => client.PUT('/api/office', { body: given }), { ...office }, 'office', {
    again: (saved) => ({ ...saved }),
    after: setBody,
  });
  const problem = save.problem;
  return (
    <Form
      className="sheet pad"
      unsaved={JSON.stringify(body) !== JSON.stringify(office)}
      onSubmit={() => save.go(body)}
      problem={problem}
      onOver={save.over}
    >
      <Field label="Name" value={body.name} onChange={(name) => setBody({ ...body, name })} field="name" disabled={!mayChange} />
      <Field
        label="Time zone"
        value={body.zone}
        onChange={(zone) => setBody({ ...body, zone })}
        suggestions={zones.data}
        field="zone"
        disabled={!mayChange}
        hint="All nights, days, weeks and months are counted in it."
      />
      <Paces body={body} put={(next) => setBody({ ...body, ...next })} mayChange={mayChange} />
      <Slowly body={body} put={(next) => setBody({ ...body, ...next })} mayChange={mayChange} />
      {mayChange && (
        <Button type="submit" disabled={save.busy}>
          Save
        </Button>
      )}
    </Form>
  );
}

function AddUser() {
  const empty = { username: '', full_name: '', password: '', role: 'operator' };
  const [body, setBody] = useState(empty);
  const add = useAct(
    () => client.POST('/api/users', { body }),
    'account',
    () => setBody(empty),
  );
  const problem = add.problem;
  const set = (name: keyof typeof body) => (value: string) => setBody({ ...body, [name]: value });
  return (
    <Form className="sheet pad mt-3" onSubmit={() => add.go()} problem={problem}>
      <h3>Let somebody else sign in</h3>
      <Field label="Full name" value={body.full_name} onChange={set('full_name')} autoComplete="off" />
      <Field label="New user name" value={body.username} onChange={set('username')} autoComplete="off" field="username" required />
      <Field
        label="First password"
        type="password"
        value={body.password}
        onChange={set('password')}
        autoComplete="new-password"
        field="password"
        hint="At least ten characters."
        required
      />
      <Choice label="Role" value={body.role} onChange={set('role')} options={ROLES} />
      <Button type="submit" disabled={add.busy}>
        Add account
      </Button>
    </Form>
  );
}
