/** Add a store: prepare an empty folder, or attach one that holds a vault already. */
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { useNavigate } from 'react-router';

import { useAct } from '../../api/act';
import { client } from '../../api/client';
import { Form } from '../../ui/forms/Form';
import { Heading } from '../../ui/Screen';
import { NumberField } from '../../ui/forms/NumberField';
import { SIZES } from '../../ui/forms/numbers';
import { SAVED } from '../../ui/forms/Unsaved';
import { Field } from '../../ui/forms/Field';
import { RecoveryCode } from './RecoveryCode';

export function AddStoreScreen() {
  const [attach, setAttach] = useState(false);
  const [prepared, setPrepared] = useState<{ id: string; name: string; code: string } | null>(null);
  const [given, setGiven] = useState({ name: '', path: '', passphrase: '', passphrase_again: '', allowance_bytes: null as number | null });
  const navigate = useNavigate();
  const set = (name: 'name' | 'path' | 'passphrase' | 'passphrase_again') => (value: string) => setGiven({ ...given, [name]: value });
  const add = useAct(
    () => {
      const { name, path, passphrase, passphrase_again, allowance_bytes } = given;
      return attach
        ? client.POST('/api/stores/attach', { body: { name, path, passphrase, allowance_bytes } })
        : client.POST('/api/stores', { body: { name, path, passphrase, passphrase_again, allowance_bytes } });
    },
    'store',
    (store) => {
      if ('recovery_code' in store) setPrepared({ id: store.id, name: store.name, code: String(store.recovery_code) });
      else void navigate(`/storage/${store.id}`, { state: SAVED });
    },
  );
  if (prepared) return <RecoveryCode store={prepared.name} code={prepared.code} onDone={() => void navigate(`/storage/${prepared.id}`)} />;
  const problem = add.problem;
  return (
    <>
      <Heading title="Add a store" />
      <p className="sub">A folder on this server or on a drive that is mounted there. Everything in it is encrypted.</p>
      <Form
        unsaved={given.name !== '' || given.path !== '' || given.passphrase !== ''}
        className="sheet pad narrow"
        onSubmit={() => add.go()}
        problem={problem}
      >
        <div className="chips mb-3" role="group" aria-label="What is there now">
          <button type="button" className={attach ? 'chip' : 'chip on'} aria-pressed={!attach} onClick={() => setAttach(false)}>
            An empty folder
          </button>
          <button type="button" className={attach ? 'chip on' : 'chip'} aria-pressed={attach} onClick={() => setAttach(true)}>
            A store that exists
          </button>
        </div>
        <Field label="Name" value={given.name} onChange={set('name')} field="name" required />
        <Field label="Path on the server" value={given.path} onChange={set('path')} field="path" placeholder="/srv/backups" required />
        <Field
          label="Passphrase"
          type="password"
          value={given.passphrase}
          onChange={set('passphrase')}
          autoComplete="new-password"
          field="passphrase"
          hint={
            attach
              ? 'The one with which it was prepared, or its recovery code.'
              : 'At least ten characters. Without it a backup is lost once this server is gone: write it down and lock it away.'
          }
          required
        />
        {!attach && (
          <Field
            label="Passphrase again"
            type="password"
            value={given.passphrase_again}
            onChange={set('passphrase_again')}
            autoComplete="new-password"
            field="passphrase_again"
            required
          />
        )}
        <NumberField
          label="Allowance"
          value={given.allowance_bytes}
          onChange={(allowance_bytes) => setGiven({ ...given, allowance_bytes })}
          units={SIZES}
          least={1}
          optional
          hint="Runs that would exceed it are stopped beforehand. Empty for no limit."
          field="allowance_bytes"
        />
        <Button type="submit" disabled={add.busy}>
          {add.busy ? 'One moment …' : attach ? 'Attach the store' : 'Prepare the store'}
        </Button>
      </Form>
    </>
  );
}
