/** Draining a store into another: what will be there afterwards and what will not, how far it is, and giving it up. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { useAct } from '../../api/act';
import { client, problemOf, told, type Schemas } from '../../api/client';
import { key } from '../../api/keys';
import { useStores } from '../../api/queries';
import { counted } from '../../ui/format';
import { Dialog } from '../../ui/forms/Dialog';
import { Choice, Field } from '../../ui/forms/Field';
import { When } from '../../ui/Office';
import { Failed, Loading, Refused } from '../../ui/States';
import { outlookLines, retireSentence } from './draining';

type Store = Schemas['StoreDetail'];
type Outlook = Schemas['Outlook'];

const WORD = 'give up';

export function Drain({ store }: { store: Store }) {
  if (store.mode !== 'in_use' && store.mode !== 'read_only') return null;
  return (
    <section>
      <h2>Drain into another store</h2>
      <div className="sheet pad">{store.draining_into ? <Draining store={store} /> : <Begin store={store} />}</div>
    </section>
  );
}

const useOutlook = (id: string, into: string) =>
  useQuery({
    queryKey: key('stores', id, 'drain', into),
    queryFn: () => told(client.GET('/api/stores/{id}/drain', { params: { path: { id }, query: { into } } })),
    retry: false,
  });

function Begin({ store }: { store: Store }) {
  const others = (useStores().data ?? []).filter((one) => one.id !== store.id && one.mode === 'in_use');
  const [into, setInto] = useState('');
  if (others.length === 0) return <p className="mb-0">There is no other store in use that could take over what lies here.</p>;
  const options = [{ value: '', label: 'choose a store' }, ...others.map((one) => ({ value: one.id, label: one.name }))];
  return (
    <>
      <p>
        Before a disk is given back or a provider is left: everything that is kept goes to another store, plans as well, and this one can be
        given up once nothing would be lost.
      </p>
      <Choice label="Into" value={into} onChange={setInto} options={options} />
      {into && <Before store={store} into={into} />}
    </>
  );
}

/** What will be where, shown before anything is decided. */
function Before({ store, into }: { store: Store; into: string }) {
  const outlook = useOutlook(store.id, into);
  const drain = useAct(
    () => client.POST('/api/stores/{id}/drain', { params: { path: { id: store.id } }, body: { into } }),
    ['store', 'copy', 'plan'],
  );
  if (outlook.isPending) return <Loading what="what would be where" />;
  if (outlook.isLoadingError) return <Failed problem={problemOf(outlook.error)} onRetry={() => void outlook.refetch()} />;
  return (
    <>
      <Lines outlook={outlook.data} />
      <p>From then on nothing new goes into {store.name}, and nothing leaves it.</p>
      <Refused problem={drain.problem} />
      <Button size="sm" disabled={drain.busy} onClick={() => drain.go()}>
        Drain into {outlook.data.into_name}
      </Button>
    </>
  );
}

const Lines = ({ outlook }: { outlook: Outlook }) => (
  <ul>
    {outlookLines(outlook).map((line) => (
      <li key={line}>{line}</li>
    ))}
  </ul>
);

function Draining({ store }: { store: Store }) {
  const outlook = useOutlook(store.id, store.draining_into ?? '');
  const stop = useAct(() => client.POST('/api/stores/{id}/drain/stop', { params: { path: { id: store.id } } }), 'store');
  const [asking, setAsking] = useState(false);
  if (outlook.isPending) return <Loading what="how far it is" />;
  if (outlook.isLoadingError) return <Failed problem={problemOf(outlook.error)} onRetry={() => void outlook.refetch()} />;
  const details = outlook.data;
  const all = details.there + details.moving;
  return (
    <>
      <p>
        Into {details.into_name}
        {store.drain_asked_at && (
          <>
            , since <When at={store.drain_asked_at} />
          </>
        )}
        : {counted(details.there, 'backup')} of {all} there. {all > 0 && <progress value={details.there} max={all} aria-label="Drained" />}
      </p>
      <Lines outlook={details} />
      <Refused problem={stop.problem} />
      <div className="row-end">
        <Button size="sm" variant="outline-primary" disabled={stop.busy} onClick={() => stop.go()}>
          Stop draining
        </Button>
        <Button size="sm" variant={details.done ? 'primary' : 'outline-danger'} onClick={() => setAsking(true)}>
          Give {store.name} up
        </Button>
      </div>
      {asking && <Retire store={store} outlook={details} onCancel={() => setAsking(false)} />}
    </>
  );
}

function Retire({ store, outlook, onCancel }: { store: Store; outlook: Outlook; onCancel: () => void }) {
  const [word, setWord] = useState('');
  const retire = useAct(
    () => client.POST('/api/stores/{id}/retire', { params: { path: { id: store.id } }, body: { seen: outlook.digest, word } }),
    ['store', 'copy', 'backup'],
    onCancel,
  );
  return (
    <Dialog
      title={`Give ${store.name} up?`}
      action="Give it up"
      danger={outlook.lost_count > 0}
      onSubmit={() => retire.go()}
      onCancel={onCancel}
      problem={retire.problem}
      busy={retire.busy}
    >
      <p>{retireSentence(outlook)}</p>
      {outlook.lost.length > 0 && (
        <ul>
          {outlook.lost.map((one) => (
            <li key={one.backup_id}>
              {one.device_name}, {one.holder}, <When at={one.finished_at} />
              {one.damaged && ': damaged here, and whole nowhere'}
            </li>
          ))}
        </ul>
      )}
      {outlook.lost_count > 0 && (
        <Field label={`Type “${WORD}” to go on`} value={word} onChange={setWord} field="word" autoComplete="off" />
      )}
    </Dialog>
  );
}
