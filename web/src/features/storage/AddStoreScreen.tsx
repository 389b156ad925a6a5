/** Add a store: prepare an empty folder, or attach one that holds a vault already. */
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { useNavigate } from 'react-router';

import { client, problemOf, told } from '../../api/client';
import { Field } from '../../ui/Field';
import { Refused } from '../../ui/States';
import { RecoveryCode } from './RecoveryCode';
import { gibToBytes } from './words';

export function AddStoreScreen() {
  const [attach, setAttach] = useState(false);
  const [prepared, setPrepared] = useState<{ id: string; name: string; code: string } | null>(null);
  const [given, setGiven] = useState({ name: '', path: '', passphrase: '', passphrase_again: '', gib: '' });
  const navigate = useNavigate();
  const queries = useQueryClient();
  const set = (name: keyof typeof given) => (value: string) => setGiven({ ...given, [name]: value });
  const add = useMutation({
    mutationFn: () => {
      const { name, path, passphrase, passphrase_again, gib } = given;
      const allowance_bytes = gibToBytes(gib);
      return attach
        ? told(client.POST('/api/stores/attach', { body: { name, path, passphrase, allowance_bytes } }))
        : told(client.POST('/api/stores', { body: { name, path, passphrase, passphrase_again, allowance_bytes } }));
    },
    onSuccess: async (store) => {
      await queries.invalidateQueries();
      if ('recovery_code' in store) setPrepared({ id: store.id, name: store.name, code: String(store.recovery_code) });
      else void navigate(`/storage/${store.id}`);
    },
  });
  if (prepared) return <RecoveryCode store={prepared.name} code={prepared.code} onDone={() => void navigate(`/storage/${prepared.id}`)} />;
  const problem = add.error ? problemOf(add.error) : null;
  return (
    <>
      <h1 tabIndex={-1}>Add a store</h1>
      <p className="sub">A folder on this server or on a drive that is mounted there. Everything in it is encrypted.</p>
      <form
        className="sheet pad"
        style={{ maxWidth: 560 }}
        onSubmit={(event) => {
          event.preventDefault();
          add.mutate();
        }}
      >
        <Refused problem={problem} />
        <div className="chips mb-3" role="group" aria-label="What is there now">
          <button type="button" className={attach ? 'chip' : 'chip on'} aria-pressed={!attach} onClick={() => setAttach(false)}>
            An empty folder
          </button>
          <button type="button" className={attach ? 'chip on' : 'chip'} aria-pressed={attach} onClick={() => setAttach(true)}>
            A store that exists
          </button>
        </div>
        <Field label="Name" value={given.name} onChange={set('name')} problem={problem} field="name" required />
        <Field label="Path on the server" value={given.path} onChange={set('path')} problem={problem} field="path" placeholder="/srv/backups" required />
        <Field
          label="Passphrase"
          type="password"
          value={given.passphrase}
          onChange={set('passphrase')}
          autoComplete="new-password"
          problem={problem}
          field="passphrase"
          hint={attach ? 'The one with which it was prepared, or its recovery code.' : 'At least ten characters. Without it a backup is lost once this server is gone: write it down and lock it away.'}
          required
        />
        {!attach && (
          <Field
            label="Passphrase again"
            type="password"
            value={given.passphrase_again}
            onChange={set('passphrase_again')}
            autoComplete="new-password"
            problem={problem}
            field="passphrase_again"
            required
          />
        )}
        <Field
          label="Allowance in GiB"
          value={given.gib}
          onChange={set('gib')}
          inputMode="decimal"
          hint="Runs that would exceed it are stopped beforehand. Empty for no limit."
          problem={problem}
          field="allowance_bytes"
        />
        <Button type="submit" disabled={add.isPending}>
          {add.isPending ? 'One moment …' : attach ? 'Attach the store' : 'Prepare the store'}
        </Button>
      </form>
    </>
  );
}
