/** One store: totals, whose bytes they are, its check, its passphrase. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { Link, useParams } from 'react-router';

import { useAct } from '../../api/act';
import { client, problemOf, told, type Schemas } from '../../api/client';
import { key } from '../../api/keys';
import { useMay } from '../../api/may';
import { Form } from '../../ui/forms/Form';
import { Bytes } from '../../ui/Bytes';
import { Field } from '../../ui/forms/Field';
import { Gauge } from '../../ui/Gauge';
import { Age, When } from '../../ui/Office';
import { FailedScreen, Heading } from '../../ui/Screen';
import { Loading, Refused } from '../../ui/States';
import { ChangeMode, ChangeStore, ModeNote } from './ChangeStore';
import { Accept, Differences } from './Differences';
import { Drain } from './Drain';
import { Damage } from './Damage';
import { Found } from './Found';
import { useCopySums } from './queries';
import { Allowances } from './Allowances';
import { OverTime } from './OverTime';
import { Runway } from './Runway';
import { WhoseBytes } from './WhoseBytes';
import { Slots } from './Slots';
import { StoreMark } from './StoreMark';
import { Offices, SweptBy } from './Successor';
import { mediumWord, monthlyWords, owedWords, readWords } from './words';

type Store = Schemas['StoreDetail'];

export function StoreScreen() {
  const { id = '' } = useParams();
  const store = useQuery({
    queryKey: key('stores', id),
    queryFn: () => told(client.GET('/api/stores/{id}', { params: { path: { id } } })),
  });
  const may = useMay();
  if (store.isPending) return <Loading what="the store" />;
  if (store.isLoadingError) return <FailedScreen problem={problemOf(store.error)} onRetry={() => void store.refetch()} />;
  const row = store.data;
  return (
    <>
      <Heading title={row.name} />
      <p className="sub">
        <StoreMark medium={row.medium} /> {mediumWord(row.medium)}, {row.where}
      </p>
      <ModeNote store={row} />
      {row.trouble && (
        <div className="said bad">
          <strong>{row.trouble}</strong> {row.trouble_remedy} Nothing is stored there until this is resolved.
          {row.trouble_code === 'store.older_copy' && may('set_up') && <Accept store={row} />}
        </div>
      )}
      <SweptBy store={row} />
      {!row.shares_key && <OwnKeyNote />}
      {may('set_up') && <Offices store={row} />}
      <Lying store={row} />
      <div className="cols">
        <section>
          <WhoseBytes storeId={row.id} />
          <OverTime storeId={row.id} />
          {may('set_up') && <Settings store={row} />}
        </section>
        <aside className="stack">
          <Room store={row} />
          <Allowances storeId={row.id} />
          <Copies store={row} />
          {may('keep') && <Check store={row} />}
          {may('set_up') && <Slots storeId={row.id} storeName={row.name} />}
          {may('set_up') && <Passphrase store={row} />}
        </aside>
      </div>
    </>
  );
}

/** What lies there otherwise than it should. */
function Lying({ store }: { store: Store }) {
  return (
    <>
      <Differences storeId={store.id} />
      <Found store={store} />
      <Damage storeId={store.id} />
    </>
  );
}

/** What copies to such a store cost, and how it comes to share the key. */
function OwnKeyNote() {
  return (
    <details className="said">
      <summary>
        <strong>It has a key of its own.</strong> Each chunk of a copy is opened and sealed anew: a copy takes several times as long, and
        nothing that lies there already under the office&apos;s key is used again.
      </summary>
      <p className="mb-0 mt-2">
        To have it share the office&apos;s key: <Link to="/storage/add">add a store</Link> beside it with the office&apos;s key, name that
        one in the plans, and wait until Copies says that it holds everything. Then detach this one.
      </p>
    </details>
  );
}

function Settings({ store }: { store: Store }) {
  return (
    <div className="halves mt-3">
      <ChangeStore key={`${store.name} ${store.where} ${store.allowance_bytes ?? ''}`} store={store} />
      <div className="stack">
        <ChangeMode key={store.mode} store={store} />
        <Drain store={store} />
      </div>
    </div>
  );
}

function Room({ store }: { store: Store }) {
  return (
    <section>
      <h2>Room</h2>
      <div className="sheet pad">
        <Runway told={store.runway} name={store.name} />
        <Gauge used={store.stored_bytes} waiting={store.waiting_bytes} limit={store.allowance_bytes} label={store.name} />
        <dl className="facts">
          <dt>Stored</dt>
          <dd>
            <Bytes count={store.stored_bytes} />
          </dd>
          <dt>Allowance</dt>
          <dd>{store.allowance_bytes ? <Bytes count={store.allowance_bytes} /> : 'none set'}</dd>
          <dt>Free on its medium</dt>
          <dd>
            <Bytes count={store.free_bytes} />
          </dd>
          <dt>About to be freed</dt>
          <dd>
            <Bytes count={store.waiting_bytes} />
          </dd>
          {store.price_gib_month !== null && (
            <>
              <dt>Costs a month</dt>
              <dd>{monthlyWords(store)}</dd>
            </>
          )}
          <dt>Measured</dt>
          <dd>{store.measured_at ? <When at={store.measured_at} /> : '–'}</dd>
        </dl>
        <Link to={`/storage/${store.id}/room`}>Make room</Link>
      </div>
    </section>
  );
}

function Copies({ store }: { store: Store }) {
  const sums = useCopySums().data?.find((one) => one.store_id === store.id);
  const may = useMay();
  const hurry = useAct(() => client.POST('/api/stores/{id}/copies', { params: { path: { id: store.id } } }), 'copy');
  return (
    <section>
      <h2>Copies</h2>
      <div className="sheet pad" aria-live="polite">
        {!sums && <p className="mb-0">Nothing is owed to it: it holds every backup that plans want here.</p>}
        {sums && (
          <p>
            <Link to={`/storage/copies?store=${store.id}`}>{owedWords(sums)}</Link>
            {sums.owed_since && (
              <>
                , the oldest <Age at={sums.owed_since} />
              </>
            )}
            .
          </p>
        )}
        <Refused problem={hurry.problem} />
        {sums && sums.owed > 0 && store.mode === 'in_use' && may('keep') && (
          <Button size="sm" variant="outline-primary" onClick={() => hurry.go()} disabled={hurry.busy}>
            Copy now
          </Button>
        )}
      </div>
    </section>
  );
}

function Check({ store }: { store: Store }) {
  const check = useAct(
    () => client.POST('/api/stores/{id}/check', { params: { path: { id: store.id } }, body: { percent: 100 } }),
    'store',
  );
  return (
    <section>
      <h2>Check</h2>
      <div className="sheet pad" aria-live="polite">
        <p>
          {store.checked_at ? (
            <>
              <When at={store.checked_at} />: {store.check_says}
            </>
          ) : (
            'Its bytes have never been read again to prove that they are intact.'
          )}
        </p>
        {store.reading && <p>{readWords(store.reading, store.check_days)}</p>}
        <Refused problem={check.problem} />
        <Button size="sm" variant="outline-primary" onClick={() => check.go()} disabled={check.busy}>
          Read and prove everything
        </Button>
        {check.done && <span className="quiet ms-2">It is in the queue; the result appears here.</span>}
      </div>
    </section>
  );
}

function Passphrase({ store }: { store: Store }) {
  const [passphrase, setPassphrase] = useState('');
  const prove = useAct(
    () => client.POST('/api/stores/{id}/prove-passphrase', { params: { path: { id: store.id } }, body: { passphrase } }),
    'store',
    () => setPassphrase(''),
  );
  const problem = prove.problem;
  return (
    <section>
      <h2>Passphrase</h2>
      <Form className="sheet pad" onSubmit={() => prove.go()} problem={problem}>
        <p>
          {store.passphrase_proven_at && (
            <>
              Last typed and found right: <When at={store.passphrase_proven_at} withAge />.
            </>
          )}{' '}
          Without it, or the recovery code, nobody can open this store once this server is gone.
        </p>
        <Field
          label="Prove that you still know it"
          type="password"
          value={passphrase}
          onChange={setPassphrase}
          autoComplete="off"
          field="passphrase"
        />
        <Button type="submit" size="sm" variant="outline-primary" disabled={prove.busy || !passphrase}>
          Prove
        </Button>
      </Form>
    </section>
  );
}
