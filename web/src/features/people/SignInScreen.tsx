/** The door. */
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { useAct } from '../../api/act';
import { client } from '../../api/client';
import { Field } from '../../ui/forms/Field';
import { Form } from '../../ui/forms/Form';

export function SignInScreen({ officeName }: { officeName: string }) {
  return (
    <main className="door">
      <title>{`Sign in · ${officeName} · Old Attic`}</title>
      <p className="name">Old Attic</p>
      <div className="sheet">
        <h1>{officeName}</h1>
        <p className="sub">Sign in to see how the backups stand.</p>
        <SignInForm />
      </div>
    </main>
  );
}

export function SignInForm({ onDone }: { onDone?: () => void }) {
  const [username, setUsername] = useState('');
  const [password, setPassword] = useState('');
  const signIn = useAct(() => client.POST('/api/sign-in', { body: { username, password } }), 'account', onDone);
  return (
    <Form onSubmit={() => signIn.go()} problem={signIn.problem}>
      <Field label="User name" value={username} onChange={setUsername} autoComplete="username" required />
      <Field label="Password" type="password" value={password} onChange={setPassword} autoComplete="current-password" required />
      <Button type="submit" disabled={signIn.busy}>
        Sign in
      </Button>
    </Form>
  );
}
