/** Who can open a store: its slots, what of them people hold, and what that means on the night on which the server burns. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { useAct } from '../../api/act';
import { client, problemOf, told, type Schemas } from '../../api/client';
import { key } from '../../api/keys';
import { Confirm } from '../../ui/forms/Confirm';
import { Choice, Field } from '../../ui/forms/Field';
import { Form } from '../../ui/forms/Form';
import { When } from '../../ui/Office';
import { Failed, Loading, Refused } from '../../ui/States';
import { ReadBack } from './RecoveryCode';
import { codeGroups, SLOT_WORDS, tonightWords } from './words';

type Slot = Schemas['Slot'];
type Kind = Schemas['AddSlotRequest']['kind'];

export function Slots({ storeId, storeName }: { storeId: string; storeName: string }) {
  const slots = useQuery({
    queryKey: key('stores', storeId, 'slots'),
    queryFn: () => told(client.GET('/api/stores/{id}/slots', { params: { path: { id: storeId } } })),
  });
  return (
    <section>
      <h2>Who can open it</h2>
      <div className="sheet pad">
        {slots.isPending && <Loading what="who can open it" />}
        {slots.isLoadingError && <Failed problem={problemOf(slots.error)} onRetry={() => void slots.refetch()} />}
        {slots.data && (
          <>
            <p>{tonightWords(slots.data)}</p>
            <ul className="plain">
              {slots.data.map((slot) => (
                <OneSlot key={slot.slot} slot={slot} storeId={storeId} storeName={storeName} />
              ))}
            </ul>
            <AddSlot storeId={storeId} />
          </>
        )}
      </div>
    </section>
  );
}

function OneSlot({ slot, storeId, storeName }: { slot: Slot; storeId: string; storeName: string }) {
  const [asked, setAsked] = useState(false);
  const [changing, setChanging] = useState(false);
  const remove = useAct(
    () => client.DELETE('/api/stores/{id}/slots/{slot}', { params: { path: { id: storeId, slot: slot.slot } } }),
    'store',
  );
  return (
    <li className="slot">
      <span>
        <strong>{slot.label}</strong> <span className="quiet">{SLOT_WORDS[slot.kind]}</span>
        {slot.device && <span className="quiet"> of {slot.device}</span>}
        <br />
        <span className="quiet">
          <Since slot={slot} />
        </span>
        <Refused problem={remove.problem} />
      </span>
      {slot.by_a_person && (
        <span className="row-end">
          {slot.kind === 'passphrase' && !slot.device && (
            <Button size="sm" variant="outline-primary" aria-label={`Change ${slot.label}`} onClick={() => setChanging(!changing)}>
              Change
            </Button>
          )}
          <Button size="sm" variant="outline-danger" aria-label={`Remove ${slot.label}`} onClick={() => setAsked(true)}>
            Remove
          </Button>
        </span>
      )}
      {changing && <ChangePassphrase slot={slot} storeId={storeId} onDone={() => setChanging(false)} />}
      {asked && (
        <Confirm
          title={`Remove ${slot.label}?`}
          action="Remove it"
          onCancel={() => setAsked(false)}
          onConfirm={() => {
            setAsked(false);
            remove.go();
          }}
        >
          <p>It opens {storeName} no more. Whoever knows it and has opened the store before may still have read what lay there then.</p>
        </Confirm>
      )}
    </li>
  );
}

function Since({ slot }: { slot: Slot }) {
  return (
    <>
      since <When at={slot.made_at} />
      {slot.by_a_person && (slot.proven_at ? ', last proven ' : ', never proven')}
      {slot.proven_at && <When at={slot.proven_at} />}
    </>
  );
}

const NOTHING = { kind: 'passphrase' as Kind, label: '', passphrase: '', passphrase_again: '' };

function AddSlot({ storeId }: { storeId: string }) {
  const [open, setOpen] = useState(false);
  const [given, setGiven] = useState(NOTHING);
  const [code, setCode] = useState('');
  const put = (changes: Partial<typeof NOTHING>) => setGiven((before) => ({ ...before, ...changes }));
  const add = useAct(
    () => client.POST('/api/stores/{id}/slots', { params: { path: { id: storeId } }, body: given }),
    'store',
    (added) => {
      setGiven(NOTHING);
      setOpen(false);
      setCode(added.recovery_code);
    },
  );
  if (code) return <NewCode code={code} storeId={storeId} onDone={() => setCode('')} />;
  if (!open) {
    return (
      <Button size="sm" variant="outline-primary" onClick={() => setOpen(true)}>
        Let somebody else open it
      </Button>
    );
  }
  return (
    <Form unsaved={given.passphrase !== ''} onSubmit={() => add.go()} problem={add.problem} label="Let somebody else open it">
      <WithWhat given={given} put={put} />
      {given.kind === 'passphrase' && <TypedTwice given={given} put={put} />}
      <div className="row-end">
        <Button type="submit" size="sm" disabled={add.busy}>
          Add it
        </Button>
        <Button type="button" size="sm" variant="outline-secondary" onClick={() => setOpen(false)}>
          Cancel
        </Button>
      </div>
    </Form>
  );
}

interface Part {
  given: typeof NOTHING;
  put: (changes: Partial<typeof NOTHING>) => void;
}

function WithWhat({ given, put }: Part) {
  return (
    <>
      <Choice
        label="With"
        value={given.kind}
        onChange={(kind) => put({ kind })}
        options={[
          { value: 'passphrase', label: 'a passphrase of their own' },
          { value: 'recovery_code', label: 'another recovery code, on paper' },
        ]}
      />
      <Field
        label="Label"
        value={given.label}
        onChange={(label) => put({ label })}
        field="label"
        required
        hint="Whose it is, or where the paper lies."
      />
    </>
  );
}

interface Twice {
  given: { passphrase: string; passphrase_again: string };
  put: (changes: { passphrase?: string; passphrase_again?: string }) => void;
}

function TypedTwice({ given, put }: Twice) {
  const props = { type: 'password', autoComplete: 'new-password', required: true } as const;
  return (
    <>
      <Field
        label="New passphrase"
        value={given.passphrase}
        onChange={(passphrase) => put({ passphrase })}
        field="passphrase"
        hint="At least ten characters."
        {...props}
      />
      <Field
        label="New passphrase again"
        value={given.passphrase_again}
        onChange={(passphrase_again) => put({ passphrase_again })}
        field="passphrase_again"
        {...props}
      />
    </>
  );
}

const NO_CHANGE = { old: '', passphrase: '', passphrase_again: '' };

function ChangePassphrase({ slot, storeId, onDone }: { slot: Slot; storeId: string; onDone: () => void }) {
  const [given, setGiven] = useState(NO_CHANGE);
  const put = (changes: Partial<typeof NO_CHANGE>) => setGiven((before) => ({ ...before, ...changes }));
  const change = useAct(
    () => client.PUT('/api/stores/{id}/slots/{slot}', { params: { path: { id: storeId, slot: slot.slot } }, body: given }),
    'store',
    onDone,
  );
  return (
    <Form
      className="whole"
      unsaved={given !== NO_CHANGE}
      onSubmit={() => change.go()}
      problem={change.problem}
      label={`Change ${slot.label}`}
    >
      <Field
        label="The present passphrase"
        type="password"
        autoComplete="current-password"
        value={given.old}
        onChange={(old) => put({ old })}
        field="old"
        required
      />
      <TypedTwice given={given} put={put} />
      <p className="hint">
        Nothing is written again: only what it opens the store with. A copy of the store from before still opens with the old one.
      </p>
      <div className="row-end">
        <Button type="submit" size="sm" disabled={change.busy}>
          {change.busy ? 'One moment …' : 'Change it'}
        </Button>
        <Button type="button" size="sm" variant="outline-secondary" onClick={onDone}>
          Cancel
        </Button>
      </div>
    </Form>
  );
}

function NewCode({ code, storeId, onDone }: { code: string; storeId: string; onDone: () => void }) {
  return (
    <div role="status">
      <p className="recovery-code" translate="no">
        {codeGroups(code).map((group) => (
          <span key={group.place}>{group.text}</span>
        ))}
      </p>
      <p>Print it or write it down now: it is shown this once and kept nowhere.</p>
      <Button size="sm" variant="outline-primary" className="mb-2" onClick={() => window.print()}>
        Print
      </Button>
      <ReadBack storeId={storeId} onDone={onDone} />
    </div>
  );
}
