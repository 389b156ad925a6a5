/** The first page of a new installation: the office and whoever looks after it. */
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { client, problemOf, told } from '../../api/client';
import { Field } from '../../ui/Field';
import { Refused } from '../../ui/States';

export function FirstAdministratorScreen() {
  const queries = useQueryClient();
  const zones = useQuery({ queryKey: ['zones'], queryFn: () => told(client.GET('/api/zones')) });
  const [body, setBody] = useState({
    office_name: '',
    zone: Intl.DateTimeFormat().resolvedOptions().timeZone,
    username: '',
    full_name: '',
    password: '',
  });
  const set = (name: keyof typeof body) => (value: string) => setBody({ ...body, [name]: value });
  const save = useMutation({
    mutationFn: () => told(client.POST('/api/first-administrator', { body })),
    onSuccess: (me) => queries.setQueryData(['me'], me),
  });
  const problem = save.error ? problemOf(save.error) : null;
  return (
    <main className="door">
      <p className="name">Old Attic</p>
      <div className="sheet">
        <h1>Set up the office</h1>
        <p className="sub">Nobody has used this installation yet. Whoever fills this in becomes its administrator.</p>
        <Refused problem={problem} />
        <form
          onSubmit={(event) => {
            event.preventDefault();
            save.mutate();
          }}
        >
          <Field label="Name of the office" value={body.office_name} onChange={set('office_name')} problem={problem} field="office_name" required />
          <Field
            label="Time zone"
            value={body.zone}
            onChange={set('zone')}
            suggestions={zones.data}
            hint="Nights, days and weeks are counted in it, for example Europe/Berlin."
            problem={problem}
            field="zone"
            required
          />
          <Field label="Your name" value={body.full_name} onChange={set('full_name')} autoComplete="name" />
          <Field label="User name" value={body.username} onChange={set('username')} autoComplete="username" problem={problem} field="username" required />
          <Field
            label="Password"
            type="password"
            value={body.password}
            onChange={set('password')}
            autoComplete="new-password"
            hint="At least ten characters."
            problem={problem}
            field="password"
            required
          />
          <Button type="submit" disabled={save.isPending}>
            Set up
          </Button>
        </form>
      </div>
    </main>
  );
}
