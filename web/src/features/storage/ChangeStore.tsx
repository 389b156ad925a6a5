/** A store's name, place and limits, and what may be done with it. */
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { useAct } from '../../api/act';
import { client, type Schemas } from '../../api/client';
import { useSave } from '../../api/save';
import { Confirm } from '../../ui/forms/Confirm';
import { Check, Choice, Field } from '../../ui/forms/Field';
import { Form } from '../../ui/forms/Form';
import { NumberField } from '../../ui/forms/NumberField';
import { SIZES, SPEEDS } from '../../ui/forms/numbers';
import { Refused } from '../../ui/States';
import { AddressFields, Trial, useTrial } from './Address';
import { MODES, RETIRED, type Mode } from './words';

type Store = Schemas['StoreDetail'];

/** What the form shows, as the server says it. */
const begun = (store: Schemas['Store']) => ({
  name: store.name,
  allowance_bytes: store.allowance_bytes,
  off_site: store.off_site,
  max_writers: store.max_writers,
  address: store.address,
  check_days: store.check_days,
  check_limit_bytes_per_second: store.check_limit_bytes_per_second,
  price_gib_month: store.price_gib_month,
  price_thousand_requests: store.price_thousand_requests,
  currency: store.currency,
});

export function ChangeStore({ store }: { store: Store }) {
  const first = {
    name: store.name,
    allowance_bytes: store.allowance_bytes,
    off_site: store.off_site,
    max_writers: store.max_writers as number | null,
    address: store.address,
    checks: { days: store.check_days, limit_bytes_per_second: store.check_limit_bytes_per_second },
    prices: { gib_month: store.price_gib_month, thousand_requests: store.price_thousand_requests, currency: store.currency },
  };
  const [given, setGiven] = useState(first);
  const put = (changes: Partial<typeof given>) => setGiven((before) => ({ ...before, ...changes }));
  const trial = useTrial();
  const save = useStoreSaving(store);
  return (
    <section>
      <h2>Change</h2>
      <Form
        className="sheet pad"
        unsaved={JSON.stringify(given) !== JSON.stringify(first)}
        onSubmit={() => save.go(given)}
        problem={save.problem}
        onOver={save.over}
      >
        <Field label="Name" value={given.name} onChange={(name) => put({ name })} field="name" />
        <AddressFields medium={store.medium} settings={given.address} onChange={(address) => put({ address })} kept />
        <p className="hint">
          The store is known by what lies in it, not by its place: it may lie elsewhere tomorrow. To bring it to another place whole, set it
          to read only, run <code>./attic vault move</code>, and give the new place here.
        </p>
        <TryButton busy={trial.busy} onClick={() => trial.go(store.medium, given.address, store.id)} />
        <Trial trial={trial} settings={given.address} />
        <Limits given={given} put={put} />
        <Checks given={given.checks} put={(changes) => put({ checks: { ...given.checks, ...changes } })} />
        <Prices given={given.prices} put={(changes) => put({ prices: { ...given.prices, ...changes } })} />
        <Button type="submit" size="sm" variant="outline-primary" disabled={save.busy}>
          Save
        </Button>
      </Form>
    </section>
  );
}

function TryButton({ busy, onClick }: { busy: boolean; onClick: () => void }) {
  return (
    <Button type="button" size="sm" variant="outline-primary" className="mb-2" disabled={busy} onClick={onClick}>
      {busy ? 'Trying …' : 'Try it'}
    </Button>
  );
}

function useStoreSaving(store: Store) {
  const params = { path: { id: store.id } };
  return useSave(
    (body: Omit<Schemas['ChangeStoreRequest'], 'path'>) => client.PUT('/api/stores/{id}', { params, body: { ...body, path: '' } }),
    () => begun(store),
    'store',
    { again: begun },
  );
}

interface Given {
  allowance_bytes: number | null;
  off_site: boolean;
  max_writers: number | null;
}

function Limits({ given, put }: { given: Given; put: (changes: Partial<Given>) => void }) {
  return (
    <>
      <div className="mb-2">
        <Check checked={given.off_site} onChange={(off_site) => put({ off_site })}>
          It lies outside of the office
        </Check>
      </div>
      <NumberField
        label="Allowance"
        value={given.allowance_bytes}
        onChange={(allowance_bytes) => put({ allowance_bytes })}
        units={SIZES}
        least={1}
        optional
        hint="Empty for no limit."
        field="allowance_bytes"
      />
      <NumberField
        label="Runs that write into it at a time"
        value={given.max_writers}
        onChange={(max_writers) => put({ max_writers })}
        least={1}
        most={32}
        field="max_writers"
        hint="A slow drive takes one or two."
      />
    </>
  );
}

interface Read {
  days: number | null;
  limit_bytes_per_second: number | null;
}

function Checks({ given, put }: { given: Read; put: (changes: Partial<Read>) => void }) {
  return (
    <>
      <NumberField
        label="Everything is read again within"
        value={given.days}
        onChange={(days) => put({ days })}
        least={1}
        most={365}
        whole
        optional
        field="check_days"
        hint="Days; a share each night, and what is damaged is fetched from another store. Empty: only when somebody asks."
      />
      <NumberField
        label="No faster than"
        value={given.limit_bytes_per_second}
        onChange={(limit_bytes_per_second) => put({ limit_bytes_per_second })}
        units={SPEEDS}
        least={16_384}
        optional
        field="check_limit_bytes_per_second"
        hint="Of a check; empty: 100 MiB/s for the share of a night, no limit for what somebody asks."
      />
    </>
  );
}

interface Asked {
  gib_month: number | null;
  thousand_requests: number | null;
  currency: string;
}

/** What its provider asks; for people to see what a store costs. */
function Prices({ given, put }: { given: Asked; put: (changes: Partial<Asked>) => void }) {
  const units = [{ label: given.currency || '¤', each: 10_000 }];
  return (
    <details className="mb-2" open={given.currency !== ''}>
      <summary>Prices</summary>
      <Field
        label="Currency"
        value={given.currency}
        onChange={(currency) => put({ currency })}
        field="currency"
        placeholder="EUR"
        maxLength={3}
        autoComplete="off"
      />
      <NumberField
        label="A GiB for a month"
        value={given.gib_month}
        onChange={(gib_month) => put({ gib_month })}
        units={units}
        least={0}
        optional
        field="price_gib_month"
      />
      <NumberField
        label="A thousand requests"
        value={given.thousand_requests}
        onChange={(thousand_requests) => put({ thousand_requests })}
        units={units}
        least={0}
        optional
        field="price_thousand_requests"
      />
    </details>
  );
}

/** Said above everything of a store that is not simply in use. */
export function ModeNote({ store }: { store: Store }) {
  const option = store.mode === 'retired' ? RETIRED : MODES.find((one) => one.value === store.mode);
  if (!option || store.mode === 'in_use') return null;
  return (
    <div className="said" role="status">
      <strong>{option.label}.</strong> {option.explains}
    </div>
  );
}

export function ChangeMode({ store }: { store: Store }) {
  const [mode, setMode] = useState<Mode>(store.mode);
  const [why, setWhy] = useState('');
  const [asked, setAsked] = useState(false);
  const change = useAct(
    () => client.POST('/api/stores/{id}/mode', { params: { path: { id: store.id } }, body: { mode, why } }),
    ['store', 'copy'],
    () => setWhy(''),
  );
  const choice = MODES.find((one) => one.value === mode);
  return (
    <section>
      <h2>What may be done with it</h2>
      <Form className="sheet pad" onSubmit={() => (mode === 'detached' ? setAsked(true) : change.go())}>
        <Refused problem={change.problem} />
        <Choice label="The store is" value={mode} onChange={setMode} options={MODES} {...(choice ? { hint: choice.explains } : {})} />
        <Field label="Why" value={why} onChange={setWhy} hint="Stands in the journal." />
        <Button type="submit" size="sm" variant="outline-primary" disabled={change.busy || mode === store.mode}>
          Set
        </Button>
      </Form>
      {asked && (
        <Confirm
          title={`Detach ${store.name}?`}
          action="Detach it"
          onCancel={() => setAsked(false)}
          onConfirm={() => {
            setAsked(false);
            change.go();
          }}
        >
          <p>Nothing in it is touched. Until it is taken into use again its copies protect nobody, and runs of plans that go there fail.</p>
        </Confirm>
      )}
    </section>
  );
}
