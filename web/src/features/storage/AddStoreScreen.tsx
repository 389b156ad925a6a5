/** Add a store: say where, try it, then prepare it with a passphrase, or attach one that holds a vault already. */
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { useNavigate } from 'react-router';

import { useAct } from '../../api/act';
import { client } from '../../api/client';
import { useStores } from '../../api/queries';
import { Form } from '../../ui/forms/Form';
import { Heading } from '../../ui/Screen';
import { NumberField } from '../../ui/forms/NumberField';
import { SIZES } from '../../ui/forms/numbers';
import { SAVED } from '../../ui/forms/Unsaved';
import { Check, Field } from '../../ui/forms/Field';
import { AddressFields, Trial, useTrial, type Settings } from './Address';
import { RecoveryCode } from './RecoveryCode';
import { MEDIA, type Medium } from './words';

interface Given {
  medium: Medium;
  address: Settings;
  attach: boolean;
  name: string;
  passphrase: string;
  passphrase_again: string;
  allowance_bytes: number | null;
  own_key: boolean;
}

const NOTHING: Given = {
  medium: 'folder',
  address: {},
  attach: false,
  name: '',
  passphrase: '',
  passphrase_again: '',
  allowance_bytes: null,
  own_key: false,
};

interface Part {
  given: Given;
  put: (changes: Partial<Given>) => void;
}

export function AddStoreScreen() {
  const [prepared, setPrepared] = useState<{ id: string; name: string; code: string } | null>(null);
  const [given, setGiven] = useState(NOTHING);
  const navigate = useNavigate();
  const put = (changes: Partial<Given>) => setGiven((before) => ({ ...before, ...changes }));
  const add = useAct(
    () => {
      const { attach, passphrase_again, own_key, ...body } = { ...given, path: '' };
      return attach
        ? client.POST('/api/stores/attach', { body })
        : client.POST('/api/stores', { body: { ...body, passphrase_again, own_key } });
    },
    'store',
    (store) => {
      if ('recovery_code' in store) setPrepared({ id: store.id, name: store.name, code: String(store.recovery_code) });
      else void navigate(`/storage/${store.id}`, { state: SAVED });
    },
  );
  if (prepared)
    return (
      <RecoveryCode
        storeId={prepared.id}
        store={prepared.name}
        code={prepared.code}
        onDone={() => void navigate(`/storage/${prepared.id}`)}
      />
    );
  return (
    <>
      <Heading title="Add a store" />
      <p className="sub">Everything in it is encrypted before it gets there.</p>
      <Form unsaved={JSON.stringify(given) !== JSON.stringify(NOTHING)} onSubmit={() => add.go()} problem={add.problem}>
        <div className="halves">
          <Where given={given} put={put} />
          <Kept given={given} put={put} busy={add.busy} />
        </div>
      </Form>
    </>
  );
}

function Where({ given, put }: Part) {
  const trial = useTrial();
  const explains = MEDIA.find((one) => one.value === given.medium)?.explains;
  return (
    <section className="sheet pad">
      <h2>Where it lies</h2>
      <div className="chips mb-2" role="group" aria-label="Medium">
        {MEDIA.map(({ value, label }) => (
          <button
            key={value}
            type="button"
            className={given.medium === value ? 'chip on' : 'chip'}
            aria-pressed={given.medium === value}
            onClick={() => {
              trial.clear();
              put({ medium: value, address: {} });
            }}
          >
            {label}
          </button>
        ))}
      </div>
      <p className="hint">{explains}</p>
      <AddressFields medium={given.medium} settings={given.address} onChange={(address) => put({ address })} />
      <Button type="button" variant="outline-primary" disabled={trial.busy} onClick={() => trial.go(given.medium, given.address)}>
        {trial.busy ? 'Trying …' : 'Try it'}
      </Button>
      <Trial trial={trial} settings={given.address} />
    </section>
  );
}

function Kept({ given, put, busy }: Part & { busy: boolean }) {
  const { attach } = given;
  return (
    <section className="sheet pad">
      <h2>What it is</h2>
      <div className="chips mb-3" role="group" aria-label="What is there now">
        <button type="button" className={attach ? 'chip' : 'chip on'} aria-pressed={!attach} onClick={() => put({ attach: false })}>
          An empty place
        </button>
        <button type="button" className={attach ? 'chip on' : 'chip'} aria-pressed={attach} onClick={() => put({ attach: true })}>
          A store that exists
        </button>
      </div>
      <Field label="Name" value={given.name} onChange={(name) => put({ name })} field="name" required />
      <Secrets given={given} put={put} />
      <NumberField
        label="Allowance"
        value={given.allowance_bytes}
        onChange={(allowance_bytes) => put({ allowance_bytes })}
        units={SIZES}
        least={1}
        optional
        hint="Runs that would exceed it are stopped beforehand. Empty for no limit."
        field="allowance_bytes"
      />
      {!attach && <WhichKey given={given} put={put} />}
      <Button type="submit" disabled={busy}>
        {busy ? 'One moment …' : attach ? 'Attach the store' : 'Prepare the store'}
      </Button>
    </section>
  );
}

function Secrets({ given, put }: Part) {
  return (
    <>
      <Field
        label="Passphrase"
        type="password"
        value={given.passphrase}
        onChange={(passphrase) => put({ passphrase })}
        autoComplete="new-password"
        field="passphrase"
        hint={
          given.attach
            ? 'The one with which it was prepared, or its recovery code.'
            : 'At least ten characters. Without it a backup is lost once this server is gone: write it down and lock it away.'
        }
        required
      />
      {!given.attach && (
        <Field
          label="Passphrase again"
          type="password"
          value={given.passphrase_again}
          onChange={(passphrase_again) => put({ passphrase_again })}
          autoComplete="new-password"
          field="passphrase_again"
          required
        />
      )}
    </>
  );
}

/** Asked only where there is a key to share. */
function WhichKey({ given, put }: Part) {
  const stores = useStores();
  if (!stores.data?.length) return null;
  return (
    <div className="field">
      <Check checked={given.own_key} onChange={(own_key) => put({ own_key })}>
        With a key of its own
      </Check>
      <p className="hint mb-0">
        {given.own_key
          ? 'Whoever opens another store cannot read this one. Each copy that goes there has to be opened and sealed anew.'
          : "It shares the office's key, so that copies move as they are. Whoever has one store and its passphrase could read the others, too, if they had them."}
      </p>
    </div>
  );
}
