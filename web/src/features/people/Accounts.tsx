/** Accounts: who may sign in and as what, a password reset, sessions ended; and one's own password. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { useAct } from '../../api/act';
import { client, problemOf, told, type Schemas } from '../../api/client';
import { key } from '../../api/keys';
import { useMay } from '../../api/may';
import { useSave } from '../../api/save';
import { Form } from '../../ui/forms/Form';
import { Check, Choice, Field } from '../../ui/forms/Field';
import { Failed, Loading } from '../../ui/States';
import { ROLES } from './words';

type User = Schemas['User'];

export function Accounts() {
  const may = useMay();
  const users = useQuery({
    queryKey: key('users'),
    queryFn: () => told(client.GET('/api/users', { params: { query: { page_size: 200 } } })),
  });
  const [open, setOpen] = useState<number | null>(null);
  const mayChange = may('set_up');
  if (users.isPending) return <Loading what="accounts" />;
  if (users.isLoadingError) return <Failed problem={problemOf(users.error)} onRetry={() => void users.refetch()} />;
  return (
    <table className="rows">
      <thead>
        <tr>
          <th scope="col">Name</th>
          <th scope="col">User name</th>
          <th scope="col">Role</th>
          {mayChange && (
            <th scope="col">
              <span className="visually-hidden">Change</span>
            </th>
          )}
        </tr>
      </thead>
      <tbody>
        {users.data.results.map((user) =>
          open === user.id ? (
            <tr key={user.id}>
              <td colSpan={4}>
                <ChangeAccount user={user} onDone={() => setOpen(null)} />
              </td>
            </tr>
          ) : (
            <tr key={user.id}>
              <td>{user.shown_name}</td>
              <td>{user.username}</td>
              <td>{user.is_active ? user.role : <span className="quiet">switched off</span>}</td>
              {mayChange && (
                <td className="num">
                  <Button
                    size="sm"
                    variant="outline-primary"
                    onClick={() => setOpen(user.id)}
                    aria-label={`Change the account of ${user.shown_name}`}
                  >
                    Change
                  </Button>
                </td>
              )}
            </tr>
          ),
        )}
      </tbody>
    </table>
  );
}

function ChangeAccount({ user, onDone }: { user: User; onDone: () => void }) {
  const [body, setBody] = useState<{ full_name: string; role: string; active: boolean }>({
    full_name: user.shown_name === user.username ? '' : user.shown_name,
    role: user.role,
    active: user.is_active,
  });
  const save = useSave(
    (given: typeof body) => client.PUT('/api/users/{id}', { params: { path: { id: user.id } }, body: given }),
    { shown_name: user.shown_name, role: user.role, is_active: user.is_active },
    'account',
    { after: onDone },
  );
  return (
    <div className="halves">
      <Form onSubmit={() => save.go(body)} problem={save.problem} onOver={save.over}>
        <h3>{user.username}</h3>
        <Field label="Full name" value={body.full_name} onChange={(full_name) => setBody({ ...body, full_name })} autoComplete="off" />
        <Choice label="Role" value={body.role} onChange={(role) => setBody({ ...body, role })} options={ROLES} field="role" />
        <div className="mb-2">
          <Check checked={body.active} onChange={(active) => setBody({ ...body, active })}>
            May sign in
          </Check>
        </div>
        <Button type="submit" size="sm" disabled={save.busy}>
          Save
        </Button>{' '}
        <Button size="sm" variant="outline-secondary" onClick={onDone}>
          Close
        </Button>
      </Form>
      <LetIn user={user} />
    </div>
  );
}

/** A new password for somebody who has forgotten theirs; an end to all their sessions. */
function LetIn({ user }: { user: User }) {
  const [password, setPassword] = useState('');
  const params = { path: { id: user.id } };
  const reset = useAct(
    () => client.POST('/api/users/{id}/password', { params, body: { password } }),
    'account',
    () => setPassword(''),
  );
  const end = useAct(() => client.DELETE('/api/users/{id}/sessions', { params }), 'account');
  return (
    <Form onSubmit={() => reset.go()} problem={reset.problem ?? end.problem}>
      <Field
        label="A new password for them"
        type="password"
        value={password}
        onChange={setPassword}
        autoComplete="new-password"
        field="password"
        hint="For somebody who has forgotten theirs. Their sessions end; they change it themselves afterwards."
      />
      <Button type="submit" size="sm" variant="outline-primary" disabled={reset.busy || !password}>
        Set it
      </Button>{' '}
      <Button size="sm" variant="outline-danger" disabled={end.busy} onClick={() => end.go()}>
        End all their sessions
      </Button>
      <p role="status" className="hint">
        {reset.done && 'The new password counts from now on. '}
        {end.done && 'Whoever was signed in with this account is signed out.'}
      </p>
    </Form>
  );
}

export function OwnPassword() {
  const empty = { current: '', new: '', again: '' };
  const [body, setBody] = useState(empty);
  const save = useAct(
    () => client.PUT('/api/me/password', { body }),
    'account',
    () => setBody(empty),
  );
  const problem = save.problem;
  const set = (name: keyof typeof body) => (value: string) => setBody({ ...body, [name]: value });
  return (
    <Form className="sheet pad mt-3" onSubmit={() => save.go()} problem={problem}>
      <h3>Your own password</h3>
      <Field
        label="Present password"
        type="password"
        value={body.current}
        onChange={set('current')}
        autoComplete="current-password"
        field="current"
        required
      />
      <div className="halves">
        <Field label="New one" type="password" value={body.new} onChange={set('new')} autoComplete="new-password" field="new" required />
        <Field
          label="Once more"
          type="password"
          value={body.again}
          onChange={set('again')}
          autoComplete="new-password"
          field="again"
          required
        />
      </div>
      <Button type="submit" variant="outline-primary" disabled={save.busy}>
        Change it
      </Button>
      <span role="status" className="hint ms-2">
        {save.done && 'It is changed. Your other sessions have ended.'}
      </span>
    </Form>
  );
}
