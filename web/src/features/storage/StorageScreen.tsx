/** Every store: what it holds and may hold, what is under way to it and owed, when it was last proven. */
import { useQuery } from '@tanstack/react-query';
import Button from 'react-bootstrap/Button';
import { Link, useNavigate } from 'react-router';

import { client, problemOf, told, type Schemas } from '../../api/client';
import { key } from '../../api/keys';
import { useMay } from '../../api/may';
import { useStores } from '../../api/queries';
import { useAddress } from '../../ui/address';
import { Bytes } from '../../ui/Bytes';
import { Choice } from '../../ui/forms/Field';
import { Age, When } from '../../ui/Office';
import { Heading } from '../../ui/Screen';
import { Empty, Failed, Loading } from '../../ui/States';
import { Table, type Column } from '../../ui/Table';
import { CopyMark, CopyOf, CopyProgress } from './CopyCells';
import { useCopies, useCopySums } from './queries';
import { KindsByTeam } from './KindsByTeam';
import { fullFirst, largest, storageTitle } from './quotas';
import { Runway } from './Runway';
import { StoreMark } from './StoreMark';
import { TeamBar, TeamKey } from './TeamBar';
import { officeSentence, owedWords, storeLine } from './words';

type Store = Schemas['StoreRow'];
type Sums = Schemas['CopySums'];

export function StorageScreen() {
  const stores = useStores();
  const sums = useCopySums();
  const may = useMay();
  const navigate = useNavigate();
  return (
    <>
      <div className="head">
        <div>
          <Heading title={storageTitle(stores.data ?? [])} />
          <p className="sub mb-0">
            {stores.data ? officeSentence(stores.data, sums.data ?? []) : ' '} <Link to="/three-two-one">3-2-1 of every device</Link> ·{' '}
            <Link to="/drills">Drills</Link> · <Link to="/storage/drives">Drives</Link>
          </p>
        </div>
        <div className="row-end">
          <RoomLink stores={stores.data ?? []} />
          {may('set_up') && <Button onClick={() => void navigate('/storage/add')}>Add a store</Button>}
        </div>
      </div>
      {stores.data && <TeamKey stores={stores.data} />}
      <div className="sheet scroll mb-3">
        {stores.isPending && <Loading what="stores" />}
        {stores.isLoadingError && <Failed problem={problemOf(stores.error)} onRetry={() => void stores.refetch()} />}
        {stores.data?.length === 0 && <Empty>No store yet. A store is a folder, a drive or a bucket that holds encrypted backups.</Empty>}
        {stores.data && stores.data.length > 0 && (
          <Table
            columns={columnsOf(sums.data ?? [], stores.data)}
            rows={stores.data}
            keyOf={(store) => store.id}
            rowClass={() => 'linked'}
          />
        )}
      </div>
      {stores.data && stores.data.length > 0 && <WhoseAndWhen stores={stores.data} />}
      {stores.data && stores.data.length > 0 && <OnTheirWay />}
      <Retired />
    </>
  );
}

const columnsOf = (sums: readonly Sums[], stores: readonly Store[]): readonly Column<Store>[] => [
  { head: 'Store', cell: (store) => <Named store={store} /> },
  { head: 'Held, by team', className: 'gauge-cell', cell: (store) => <TeamBar store={store} stores={stores} /> },
  { head: 'Stored', number: true, cell: (store) => <Held store={store} /> },
  { head: 'Lasts', className: 'runway-cell', cell: (store) => <Runway told={store.runway} name={store.name} /> },
  { head: 'Copies', cell: (store) => <Owed sums={sums.find((one) => one.store_id === store.id)} /> },
  { head: 'Checked', className: 'nowrap', cell: (store) => (store.checked_at ? <When at={store.checked_at} /> : 'never') },
];

function Named({ store }: { store: Store }) {
  return (
    <>
      <StoreMark medium={store.medium} />{' '}
      <Link className="title-link" to={`/storage/${store.id}`}>
        {store.name}
      </Link>
      <div className={store.trouble && store.mode === 'in_use' ? 'tone-late' : 'quiet'}>{storeLine(store)}</div>
    </>
  );
}

/** And what it may hold, or what its medium has left. */
function Held({ store }: { store: Store }) {
  return (
    <>
      <Bytes count={store.stored_bytes} />
      <div className="quiet nowrap">
        {store.allowance_bytes ? (
          <>
            of <Bytes count={store.allowance_bytes} />
          </>
        ) : store.free_bytes !== null ? (
          <>
            <Bytes count={store.free_bytes} /> free
          </>
        ) : (
          'no limit set'
        )}
      </div>
    </>
  );
}

/** To the bench of the store that is full first. */
function RoomLink({ stores }: { stores: readonly Store[] }) {
  const first = fullFirst(stores);
  if (!first) return null;
  return (
    <Link className="btn btn-primary" to={`/storage/${first.id}/room`}>
      Make room<span className="visually-hidden"> in {first.name}</span>
    </Link>
  );
}

/** Whose bytes lie in one of the stores, and of which kind. */
function WhoseAndWhen({ stores }: { stores: readonly Store[] }) {
  const address = useAddress();
  const chosen = stores.find((one) => one.id === address.get('store')) ?? largest(stores);
  if (!chosen) return null;
  return (
    <section className="mb-3">
      <div className="head mb-1">
        <h2 className="mb-0">
          Whose bytes, and of which kind <small>fair shares; shared bytes are divided among those that need them</small>
        </h2>
        <div className="filters mb-0">
          <Choice
            label="In"
            compact
            value={chosen.id}
            onChange={(id) => address.set('store', id)}
            options={stores.map((one) => ({ value: one.id, label: one.name }))}
          />
          <Link to={`/storage/${chosen.id}?by=device`}>All of it</Link>
        </div>
      </div>
      <div className="sheet scroll">
        <KindsByTeam store={chosen} stores={stores} />
      </div>
    </section>
  );
}

function Owed({ sums }: { sums: Sums | undefined }) {
  if (!sums) return <span className="quiet">all there</span>;
  return (
    <Link to={`/storage/copies?store=${sums.store_id}`}>
      {owedWords(sums)}
      {sums.owed_since && (
        <span className="quiet">
          , the oldest <Age at={sums.owed_since} />
        </span>
      )}
    </Link>
  );
}

const SHOWN = 8;

function OnTheirWay() {
  const copies = useCopies({ page_size: SHOWN });
  const more = (copies.data?.count ?? 0) - SHOWN;
  return (
    <section>
      <h2>
        Under way and owed <small>copies, the newest of each device first</small>
      </h2>
      <div className="sheet scroll">
        {copies.isLoadingError && <Failed problem={problemOf(copies.error)} onRetry={() => void copies.refetch()} />}
        {copies.data?.count === 0 && <Empty>No copy is owed: every backup lies in each store that its plan names.</Empty>}
        {copies.data && copies.data.count > 0 && (
          <Table
            headless
            columns={[
              { head: 'Copy of', cell: (copy) => <CopyOf copy={copy} /> },
              { head: 'To', className: 'nowrap', cell: (copy) => `to ${copy.store_name}` },
              { head: 'State', className: 'nowrap', cell: (copy) => <CopyMark copy={copy} /> },
              { head: 'How far', cell: (copy) => <CopyProgress copy={copy} /> },
            ]}
            rows={copies.data.results}
            keyOf={(copy) => String(copy.id)}
          />
        )}
        {more > 0 && (
          <p className="state-note mb-0">
            <Link to="/storage/copies">{more} more</Link>
          </p>
        )}
      </div>
    </section>
  );
}

/** Stores that were given up; nothing where there are none. */
function Retired() {
  const retired = useQuery({ queryKey: key('stores', 'retired'), queryFn: () => told(client.GET('/api/stores/retired')) });
  if (!retired.data?.length) return null;
  return (
    <p className="sub">
      Given up:{' '}
      {retired.data.map((store, n) => (
        <span key={store.id}>
          {n > 0 && ', '}
          <Link to={`/storage/${store.id}`}>{store.name}</Link>
          {store.retired_at && (
            <>
              {' '}
              <When at={store.retired_at} />
            </>
          )}
        </span>
      ))}
    </p>
  );
}
