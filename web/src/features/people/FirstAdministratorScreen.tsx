/** The first page of a new installation: the office and whoever looks after it. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { useAct } from '../../api/act';
import { client, told } from '../../api/client';
import { key } from '../../api/keys';
import { Form } from '../../ui/forms/Form';
import { Field } from '../../ui/forms/Field';

export function FirstAdministratorScreen() {
  const zones = useQuery({ queryKey: key('zones'), queryFn: () => told(client.GET('/api/zones')) });
  const [body, setBody] = useState({
    office_name: '',
    zone: Intl.DateTimeFormat().resolvedOptions().timeZone,
    username: '',
    full_name: '',
    password: '',
  });
  const set = (name: keyof typeof body) => (value: string) => setBody({ ...body, [name]: value });
  const save = useAct(() => client.POST('/api/first-administrator', { body }), 'account');
  return (
    <main className="door">
      <title>Set up the office · Old Attic</title>
      <p className="name">Old Attic</p>
      <div className="sheet">
        <h1>Set up the office</h1>
        <p className="sub">Nobody has used this installation yet. Whoever fills this in becomes its administrator.</p>
        <Form onSubmit={() => save.go()} problem={save.problem}>
          <Field label="Name of the office" value={body.office_name} onChange={set('office_name')} field="office_name" required />
          <Field
            label="Time zone"
            value={body.zone}
            onChange={set('zone')}
            suggestions={zones.data}
            hint="Nights, days and weeks are counted in it, for example Europe/Berlin."
            field="zone"
            required
          />
          <Field label="Your name" value={body.full_name} onChange={set('full_name')} autoComplete="name" />
          <Field label="User name" value={body.username} onChange={set('username')} autoComplete="username" field="username" required />
          <Field
            label="Password"
            type="password"
            value={body.password}
            onChange={set('password')}
            autoComplete="new-password"
            hint="At least ten characters."
            field="password"
            required
          />
          <Button type="submit" disabled={save.busy}>
            Set up
          </Button>
        </Form>
      </div>
    </main>
  );
}
