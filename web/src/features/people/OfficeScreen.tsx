/** The office itself and who may sign in. */
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { client, problemOf, told, type Schemas } from '../../api/client';
import { useMe } from '../../api/queries';
import { Choice, Field } from '../../ui/Field';
import { OfficeTabs } from '../../ui/OfficeTabs';
import { Refused } from '../../ui/States';
import { Accounts, OwnPassword } from './Accounts';
import { Clock, ServerKey } from './Machine';
import { ROLES } from './words';

export function OfficeScreen() {
  const me = useMe();
  const mayChange = me.data?.user?.role === 'administrator';
  return (
    <>
      <h1 tabIndex={-1}>Office</h1>
      <p className="sub">Where its nights begin and end, and who may sign in.</p>
      <OfficeTabs />
      <div className="halves">
        <section>
          <h2>The office</h2>
          {me.data?.office && <OfficeForm key={me.data.office.zone + me.data.office.name} office={me.data.office} mayChange={mayChange} />}
          <Clock mayChange={mayChange} />
          {mayChange && <ServerKey />}
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

function OfficeForm({ office, mayChange }: { office: Schemas['Office']; mayChange: boolean }) {
  const queries = useQueryClient();
  const zones = useQuery({ queryKey: ['zones'], queryFn: () => told(client.GET('/api/zones')) });
  const [body, setBody] = useState(office);
  const save = useMutation({
    mutationFn: () => told(client.PUT('/api/office', { body })),
    onSuccess: () => queries.invalidateQueries(),
  });
  const problem = save.error ? problemOf(save.error) : null;
  return (
    <form
      className="sheet pad"
      onSubmit={(event) => {
        event.preventDefault();
        save.mutate();
      }}
    >
      <Refused problem={problem} />
      <Field label="Name" value={body.name} onChange={(name) => setBody({ ...body, name })} problem={problem} field="name" disabled={!mayChange} />
      <Field
        label="Time zone"
        value={body.zone}
        onChange={(zone) => setBody({ ...body, zone })}
        suggestions={zones.data}
        problem={problem}
        field="zone"
        disabled={!mayChange}
        hint="All nights, days, weeks and months are counted in it."
      />
      <div className="halves">
        <Field
          label="Runs at a time"
          type="number"
          min={1}
          max={32}
          value={String(body.max_runs ?? '')}
          onChange={(value) => setBody({ ...body, max_runs: Number(value) || null })}
          problem={problem}
          field="max_runs"
          disabled={!mayChange}
          hint="More wait for their turn."
        />
        <Field
          label="Speed limit for all together, in KiB a second"
          value={body.limit_bytes_per_second ? String(body.limit_bytes_per_second / 1024) : ''}
          onChange={(value) => setBody({ ...body, limit_bytes_per_second: Number(value) > 0 ? Math.round(Number(value) * 1024) : null })}
          inputMode="decimal"
          problem={problem}
          field="limit_bytes_per_second"
          disabled={!mayChange}
          hint="Divided among the runs under way; empty for none."
        />
      </div>
      {mayChange && (
        <Button type="submit" disabled={save.isPending}>
          Save
        </Button>
      )}
    </form>
  );
}

function AddUser() {
  const queries = useQueryClient();
  const empty = { username: '', full_name: '', password: '', role: 'operator' };
  const [body, setBody] = useState(empty);
  const add = useMutation({
    mutationFn: () => told(client.POST('/api/users', { body })),
    onSuccess: () => {
      setBody(empty);
      return queries.invalidateQueries({ queryKey: ['users'] });
    },
  });
  const problem = add.error ? problemOf(add.error) : null;
  const set = (name: keyof typeof body) => (value: string) => setBody({ ...body, [name]: value });
  return (
    <form
      className="sheet pad mt-3"
      onSubmit={(event) => {
        event.preventDefault();
        add.mutate();
      }}
    >
      <h3>Let somebody else sign in</h3>
      <Refused problem={problem} />
      <Field label="Full name" value={body.full_name} onChange={set('full_name')} autoComplete="off" />
      <Field label="New user name" value={body.username} onChange={set('username')} autoComplete="off" problem={problem} field="username" required />
      <Field
        label="First password"
        type="password"
        value={body.password}
        onChange={set('password')}
        autoComplete="new-password"
        problem={problem}
        field="password"
        hint="At least ten characters."
        required
      />
      <Choice label="Role" value={body.role} onChange={set('role')} options={ROLES} />
      <Button type="submit" disabled={add.isPending}>
        Add account
      </Button>
    </form>
  );
}
