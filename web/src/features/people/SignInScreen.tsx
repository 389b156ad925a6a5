import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { client, problemOf, told } from '../../api/client';
import { Field } from '../../ui/Field';
import { Refused } from '../../ui/States';

export function SignInScreen({ officeName }: { officeName: string }) {
  const queries = useQueryClient();
  const [username, setUsername] = useState('');
  const [password, setPassword] = useState('');
  const signIn = useMutation({
    mutationFn: () => told(client.POST('/api/sign-in', { body: { username, password } })),
    onSuccess: (me) => queries.setQueryData(['me'], me),
  });
  const problem = signIn.error ? problemOf(signIn.error) : null;
  return (
    <main className="door">
      <p className="name">Old Attic</p>
      <div className="sheet">
        <h1>{officeName}</h1>
        <p className="sub">Sign in to see how the backups stand.</p>
        <Refused problem={problem} />
        <form
          onSubmit={(event) => {
            event.preventDefault();
            signIn.mutate();
          }}
        >
          <Field label="User name" value={username} onChange={setUsername} autoComplete="username" required />
          <Field label="Password" type="password" value={password} onChange={setPassword} autoComplete="current-password" required />
          <Button type="submit" disabled={signIn.isPending}>
            Sign in
          </Button>
        </form>
      </div>
    </main>
  );
}
