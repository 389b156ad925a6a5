/** What a store holds of another server: what that one knew, to be taken over, and that it still sweeps there. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { useAct } from '../../api/act';
import { client, problemOf, told, type Schemas } from '../../api/client';
import { key } from '../../api/keys';
import { useMay } from '../../api/may';
import { Confirm } from '../../ui/forms/Confirm';
import { When } from '../../ui/Office';
import { Failed, Refused } from '../../ui/States';
import { broughtWords, takenWords } from './words';

type Store = Schemas['StoreDetail'];
type Offered = Schemas['OfferedOffice'];

export function Offices({ store }: { store: Store }) {
  const offices = useQuery({
    queryKey: key('stores', store.id, 'offices'),
    queryFn: () => told(client.GET('/api/stores/{id}/offices', { params: { path: { id: store.id } } })),
    enabled: store.mode !== 'detached' && !store.trouble,
  });
  if (offices.isLoadingError) return <Failed problem={problemOf(offices.error)} onRetry={() => void offices.refetch()} />;
  const others = offices.data?.filter((one) => !one.own) ?? [];
  if (others.length === 0) return null;
  return (
    <section className="mb-3" aria-label="What another server knew">
      <h2>
        What another server knew <small>written here by it, sealed; nothing is done until you say so</small>
      </h2>
      <div className="sheet">
        {others.map((one) => (
          <OfficeRow key={one.server} one={one} store={store} />
        ))}
      </div>
    </section>
  );
}

function OfficeRow({ one, store }: { one: Offered; store: Store }) {
  const [asked, setAsked] = useState(false);
  const take = useAct(
    () => client.POST('/api/stores/{id}/offices', { params: { path: { id: store.id } }, body: { server: one.server } }),
    ['store', 'device', 'plan', 'office'],
  );
  const something = one.devices.length + one.plans.length + one.holders.length + one.closed_days > 0;
  return (
    <div className="head pad mb-0 found-row" role="status">
      <div>
        <strong>{one.office || 'A server without a name'}</strong>, as of <When at={one.at} />
        <div>{broughtWords(one)}</div>
        {take.told && <TakenOver taken={take.told} />}
        <Refused problem={take.problem} />
      </div>
      {something && (
        <Button size="sm" disabled={take.busy} onClick={() => setAsked(true)}>
          {take.busy ? 'Taking over …' : 'Take it over …'}
        </Button>
      )}
      {asked && (
        <Confirm
          title={`Take over what ${one.office || 'that server'} knew?`}
          action="Take it over"
          onCancel={() => setAsked(false)}
          onConfirm={() => {
            setAsked(false);
            take.go();
          }}
        >
          <p>
            Devices come with the links and pairings that they had, plans begin to run at their next time. What is in the list already stays
            as it is. If the other server still runs, both will ask the same devices.
          </p>
          <Names label="Devices" names={one.devices} />
          <Names label="Plans" names={one.plans} />
          <Names label="Holders" names={one.holders} />
        </Confirm>
      )}
    </div>
  );
}

function Names({ label, names }: { label: string; names: readonly string[] }) {
  if (names.length === 0) return null;
  return (
    <details className="mb-2">
      <summary>
        {label}: {names.length}
      </summary>
      <ul className="mb-0">
        {names.map((name, place) => (
          <li key={`${name} ${place}`}>{name}</li>
        ))}
      </ul>
    </details>
  );
}

function TakenOver({ taken }: { taken: Schemas['TakenOver'] }) {
  return (
    <>
      <div>{takenWords(taken)}</div>
      {taken.left_out.length > 0 && (
        <ul className="mb-0">
          {taken.left_out.map((one, place) => (
            <li key={`${one.name} ${place}`}>
              Left out: {one.name || 'something without a name'}. {one.why}
            </li>
          ))}
        </ul>
      )}
    </>
  );
}

/** Its space comes back by another server's hand until somebody says otherwise. */
export function SweptBy({ store }: { store: Store }) {
  const may = useMay();
  const [asked, setAsked] = useState(false);
  const take = useAct(() => client.POST('/api/stores/{id}/sweeping', { params: { path: { id: store.id } } }), 'store');
  if (!store.swept_by) return null;
  return (
    <div className="said" role="status">
      <strong>Swept by {store.swept_by}.</strong> The space of what leaves comes back when that server frees it; two that do so move the
      same bytes twice.
      <Refused problem={take.problem} />
      {may('set_up') && (
        <Button size="sm" variant="outline-primary" className="ms-2" disabled={take.busy} onClick={() => setAsked(true)}>
          Sweep from here …
        </Button>
      )}
      {asked && (
        <Confirm
          title={`Sweep ${store.name} from here?`}
          action="Sweep from here"
          onCancel={() => setAsked(false)}
          onConfirm={() => {
            setAsked(false);
            take.go();
          }}
        >
          <p>{store.swept_by} stops at its next sweep. Nothing is lost either way. Backups of either server stay as their own rules say.</p>
        </Confirm>
      )}
    </div>
  );
}
