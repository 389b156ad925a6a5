/** What leaves, on which day and why, as long as it can be kept after all; and the press with which nothing leaves. */
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { Link } from 'react-router';

import { problemOf, type Schemas } from '../../api/client';
import { useMay } from '../../api/may';
import { useStores } from '../../api/queries';
import { useAddress } from '../../ui/address';
import { Bytes } from '../../ui/Bytes';
import { counted, plainDay } from '../../ui/format';
import { Choice } from '../../ui/forms/Field';
import { Find } from '../../ui/forms/Find';
import { When } from '../../ui/Office';
import { Pager } from '../../ui/Pager';
import { Heading } from '../../ui/Screen';
import { Empty, Failed, Loading } from '../../ui/States';
import { Table, type Column } from '../../ui/Table';
import { Freezing } from './Freezing';
import { KeepAfterAll } from './KeepAfterAll';
import { useLeaving } from './queries';

type Leaving = Schemas['Leaving'];

const PAGE = 50;
const COLUMNS: readonly Column<Leaving>[] = [
  { head: 'Backup of', cell: (copy) => <Of copy={copy} /> },
  { head: 'Taken', className: 'nowrap', cell: (copy) => <When at={copy.backup_at} /> },
  { head: 'Leaves', className: 'nowrap', cell: (copy) => copy.store_name },
  { head: 'Not before', className: 'nowrap', cell: (copy) => plainDay(copy.leaves_on) },
  { head: 'Because', cell: (copy) => <Because copy={copy} /> },
  { head: 'Size', number: true, cell: (copy) => <Bytes count={copy.size_bytes} /> },
];

export function LeavingScreen() {
  const address = useAddress();
  const may = useMay();
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const hand = address.oneOf('by', ['rule', 'hand']);
  const wanted = { store: address.get('store'), words: address.get('words'), by_hand: hand ? hand === 'hand' : undefined };
  const asked = Object.fromEntries(Object.entries(wanted).filter(([, value]) => value !== undefined && value !== ''));
  const leaving = useLeaving({ ...asked, page: address.page, page_size: PAGE });
  const filtered = Object.keys(asked).length > 0;
  const choose = (id: string) => setChosen((before) => (before.has(id) ? without(before, id) : new Set([...before, id])));
  const ticks: Column<Leaving> = { head: 'Choose', hidden: true, cell: (copy) => <Tick copy={copy} chosen={chosen} onChoose={choose} /> };
  return (
    <>
      <Heading title="Leaving" />
      <p className="sub">
        What rules and people let go waits here until its day. It can be restored, it takes room, and it can be kept after all.{' '}
        <Link to="/holds">What is on hold</Link> · <Link to="/restore-points">What there is by week</Link> ·{' '}
        <Link to="/erasing">What is erased on request</Link>
      </p>
      <Freezing />
      <Filters
        address={address}
        found={leaving.data && counted(leaving.data.count, 'copy', 'copies')}
        onClear={filtered ? address.clear : null}
      />
      {may('keep') && <KeepAfterAll chosen={chosen} onDone={() => setChosen(new Set())} />}
      <div className="sheet scroll">
        {leaving.isPending && <Loading what="what leaves" />}
        {leaving.isLoadingError && <Failed problem={problemOf(leaving.error)} onRetry={() => void leaving.refetch()} />}
        {leaving.data?.count === 0 && <Empty>{filtered ? 'Nothing that leaves matches.' : 'Nothing leaves.'}</Empty>}
        {leaving.data && leaving.data.count > 0 && (
          <Table columns={may('keep') ? [ticks, ...COLUMNS] : COLUMNS} rows={leaving.data.results} keyOf={(copy) => String(copy.id)} />
        )}
        <Pager page={address.page} pageSize={PAGE} count={leaving.data?.count ?? 0} onPage={address.turn} />
      </div>
    </>
  );
}

const without = (all: ReadonlySet<string>, one: string): ReadonlySet<string> => new Set([...all].filter((other) => other !== one));

function Of({ copy }: { copy: Leaving }) {
  return (
    <>
      <Link className="title-link" to={`/backups/${copy.backup_id}`}>
        {copy.device_name}
      </Link>
      <span className="quiet"> {copy.holder}</span>
    </>
  );
}

function Because({ copy }: { copy: Leaving }) {
  return (
    <span>
      {copy.by_hand && <span className="quiet">{copy.by || 'somebody'} removed it: </span>}
      {copy.why}
    </span>
  );
}

function Tick({ copy, chosen, onChoose }: { copy: Leaving; chosen: ReadonlySet<string>; onChoose: (id: string) => void }) {
  const label = `Choose the backup of ${copy.device_name} in ${copy.store_name}, ${plainDay(copy.backup_at.slice(0, 10))}`;
  return <input type="checkbox" aria-label={label} checked={chosen.has(copy.backup_id)} onChange={() => onChoose(copy.backup_id)} />;
}

interface FiltersProps {
  address: ReturnType<typeof useAddress>;
  found: string | undefined;
  onClear: (() => void) | null;
}

function Filters({ address, found, onClear }: FiltersProps) {
  const stores = useStores();
  const places = [{ value: '', label: 'any store' }, ...(stores.data ?? []).map((one) => ({ value: one.id, label: one.name }))];
  const whose = [
    { value: '', label: 'by rule or by hand' },
    { value: 'rule', label: 'by rule' },
    { value: 'hand', label: 'by hand' },
  ];
  return (
    <div className="filters">
      <Find
        label="Find by device, holder or store"
        value={address.get('words') ?? ''}
        onFind={(words) => address.set('words', words)}
        found={found}
      />
      <Choice label="Store" compact value={address.get('store') ?? ''} onChange={(id) => address.set('store', id)} options={places} />
      <Choice label="By" compact value={address.get('by') ?? ''} onChange={(by) => address.set('by', by)} options={whose} />
      {onClear && (
        <Button size="sm" variant="outline-primary" onClick={onClear}>
          Clear
        </Button>
      )}
    </div>
  );
}
