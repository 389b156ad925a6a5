/** Accounts: who may sign in and as what, a password reset, sessions ended; and one's own password. */
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { client, problemOf, told, type Schemas } from '../../api/client';
import { useMe } from '../../api/queries';
import { Choice, Field } from '../../ui/Field';
import { Failed, Loading, Refused } from '../../ui/States';
import { ROLES } from './words';

type User = Schemas['User'];

export function Accounts() {
  const me = useMe();
  const users = useQuery({ queryKey: ['users'], queryFn: () => told(client.GET('/api/users', { params: { query: { page_size: 200 } } })) });
  const [open, setOpen] = useState<number | null>(null);
  const mayChange = me.data?.user?.role === 'administrator';
  if (users.isPending) return <Loading what="accounts" />;
  if (users.isError) return <Failed problem={problemOf(users.error)} onRetry={() => void users.refetch()} />;
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
                  <Button size="sm" variant="outline-primary" onClick={() => setOpen(user.id)} aria-label={`Change the account of ${user.shown_name}`}>
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
  const queries = useQueryClient();
  const [body, setBody] = useState<{ full_name: string; role: string; active: boolean }>({ full_name: user.shown_name === user.username ? '' : user.shown_name, role: user.role, active: user.is_active });
  const [password, setPassword] = useState('');
  const params = { path: { id: user.id } };
  const again = { onSuccess: () => queries.invalidateQueries({ queryKey: ['users'] }) };
  const save = useMutation({ mutationFn: () => told(client.PUT('/api/users/{id}', { params, body })), onSuccess: () => again.onSuccess().then(onDone) });
  const reset = useMutation({
    mutationFn: () => told(client.POST('/api/users/{id}/password', { params, body: { password } })),
    onSuccess: () => {
      setPassword('');
      return again.onSuccess();
    },
  });
  const end = useMutation({ mutationFn: () => told(client.DELETE('/api/users/{id}/sessions', { params })) });
  const wrong = save.error ?? reset.error ?? end.error;
  const problem = wrong ? problemOf(wrong) : null;
  return (
    <div className="halves">
      <form
        onSubmit={(event) => {
          event.preventDefault();
          save.mutate();
        }}
      >
        <h3>{user.username}</h3>
        <Refused problem={problem} />
        <Field label="Full name" value={body.full_name} onChange={(full_name) => setBody({ ...body, full_name })} autoComplete="off" />
        <Choice label="Role" value={body.role} onChange={(role) => setBody({ ...body, role })} options={ROLES} problem={problem} field="role" />
        <label className="check mb-2">
          <input type="checkbox" checked={body.active} onChange={(event) => setBody({ ...body, active: event.target.checked })} />
          <span>May sign in</span>
        </label>
        <Button type="submit" size="sm" disabled={save.isPending}>
          Save
        </Button>{' '}
        <Button size="sm" variant="outline-secondary" onClick={onDone}>
          Close
        </Button>
      </form>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          reset.mutate();
        }}
      >
        <Field
          label="A new password for them"
          type="password"
          value={password}
          onChange={setPassword}
          autoComplete="new-password"
          problem={problem}
          field="password"
          hint="For somebody who has forgotten theirs. Their sessions end; they change it themselves afterwards."
        />
        <Button type="submit" size="sm" variant="outline-primary" disabled={reset.isPending || !password}>
          Set it
        </Button>{' '}
        <Button size="sm" variant="outline-danger" disabled={end.isPending} onClick={() => end.mutate()}>
          End all their sessions
        </Button>
        <p role="status" className="hint">
          {reset.isSuccess && 'The new password counts from now on. '}
          {end.isSuccess && 'Whoever was signed in with this account is signed out.'}
        </p>
      </form>
    </div>
  );
}

export function OwnPassword() {
  const empty = { current: '', new: '', again: '' };
  const [body, setBody] = useState(empty);
  const save = useMutation({ mutationFn: () => told(client.PUT('/api/me/password', { body })), onSuccess: () => setBody(empty) });
  const problem = save.error ? problemOf(save.error) : null;
  const set = (name: keyof typeof body) => (value: string) => setBody({ ...body, [name]: value });
  return (
    <form
      className="sheet pad mt-3"
      onSubmit={(event) => {
        event.preventDefault();
        save.mutate();
      }}
    >
      <h3>Your own password</h3>
      <Refused problem={problem} />
      <Field label="Present password" type="password" value={body.current} onChange={set('current')} autoComplete="current-password" problem={problem} field="current" required />
      <div className="halves">
        <Field label="New one" type="password" value={body.new} onChange={set('new')} autoComplete="new-password" problem={problem} field="new" required />
        <Field label="Once more" type="password" value={body.again} onChange={set('again')} autoComplete="new-password" problem={problem} field="again" required />
      </div>
      <Button type="submit" variant="outline-primary" disabled={save.isPending}>
        Change it
      </Button>
      <span role="status" className="hint ms-2">
        {save.isSuccess && 'It is changed. Your other sessions have ended.'}
      </span>
    </form>
  );
}
