/** Copies on their way: what is under way, what failed, and what each store is owed, in the order in which it is carried. */
import Button from 'react-bootstrap/Button';

import { useAct } from '../../api/act';
import { client, problemOf, type Schemas } from '../../api/client';
import { useMay } from '../../api/may';
import { useMe, useStores } from '../../api/queries';
import { useAddress } from '../../ui/address';
import { counted } from '../../ui/format';
import { Choice } from '../../ui/forms/Field';
import { Find } from '../../ui/forms/Find';
import { When } from '../../ui/Office';
import { Pager } from '../../ui/Pager';
import { Heading } from '../../ui/Screen';
import { Empty, Failed, Loading, Refused } from '../../ui/States';
import { Table, type Column } from '../../ui/Table';
import { CopyMark, CopyOf, CopyProgress, OwedSince } from './CopyCells';
import { useCopies } from './queries';
import type { ComingState } from './words';

type Copy = Schemas['ComingCopy'];

const PAGE = 50;
const STATES: readonly { value: ComingState | ''; label: string }[] = [
  { value: '', label: 'in any state' },
  { value: 'copying', label: 'under way' },
  { value: 'owed', label: 'owed' },
  { value: 'failed', label: 'not copied' },
];

const COLUMNS: readonly Column<Copy>[] = [
  { head: 'State', className: 'nowrap', cell: (copy) => <CopyMark copy={copy} /> },
  { head: 'Backup of', cell: (copy) => <CopyOf copy={copy} /> },
  { head: 'Taken', className: 'nowrap', cell: (copy) => <When at={copy.backup_at} /> },
  { head: 'To', className: 'nowrap', cell: (copy) => copy.store_name },
  { head: 'Owed since', className: 'nowrap', cell: (copy) => <OwedSince copy={copy} /> },
  { head: 'Wanted by', cell: (copy) => copy.by || 'its plan' },
  { head: 'How far', cell: (copy) => <CopyProgress copy={copy} /> },
];

export function CopiesScreen() {
  const address = useAddress();
  const may = useMay();
  const wanted = { store: address.get('store'), state: address.oneOf('state', ['owed', 'copying', 'failed']), words: address.get('words') };
  const asked = Object.fromEntries(Object.entries(wanted).filter(([, value]) => value));
  const copies = useCopies({ ...asked, page: address.page, page_size: PAGE });
  const filtered = Object.keys(asked).length > 0;
  const columns = may('keep') ? [...COLUMNS, { head: 'Withdraw', hidden: true, cell: (copy: Copy) => <Withdraw copy={copy} /> }] : COLUMNS;
  return (
    <>
      <Heading title="Copies" />
      <p className="sub">Backups that are to lie in another store as well. The newest of each device goes first.</p>
      <Line />
      <Filters
        address={address}
        found={copies.data && counted(copies.data.count, 'copy', 'copies')}
        onClear={filtered ? address.clear : null}
      />
      <div className="sheet scroll">
        {copies.isPending && <Loading what="copies" />}
        {copies.isLoadingError && <Failed problem={problemOf(copies.error)} onRetry={() => void copies.refetch()} />}
        {copies.data?.count === 0 && (
          <Empty>{filtered ? 'No copy matches.' : 'No copy is owed: every backup lies in each store that its plan names.'}</Empty>
        )}
        {copies.data && copies.data.count > 0 && <Table columns={columns} rows={copies.data.results} keyOf={(copy) => String(copy.id)} />}
        <Pager page={address.page} pageSize={PAGE} count={copies.data?.count ?? 0} onPage={address.turn} />
      </div>
    </>
  );
}

/** Said by a person, or by a script that knows which line is up. */
function Line() {
  const may = useMay();
  const metered = useMe().data?.office?.line_is_metered ?? false;
  const turn = useAct(() => client.POST('/api/office/line', { body: { metered: !metered } }), ['office', 'copy']);
  if (!metered && !may('keep')) return null;
  return (
    <div className={metered ? 'said' : 'mb-2'} role="status">
      {metered && (
        <>
          <strong>The office&apos;s line is metered.</strong> Copies whose plan minds that wait, and go on by themselves afterwards.{' '}
        </>
      )}
      <Refused problem={turn.problem} />
      {may('keep') && (
        <Button size="sm" variant="outline-primary" disabled={turn.busy} onClick={() => turn.go()}>
          {metered ? 'It is not metered any more' : 'The line is metered now'}
        </Button>
      )}
    </div>
  );
}

interface FiltersProps {
  address: ReturnType<typeof useAddress>;
  found: string | undefined;
  onClear: (() => void) | null;
}

function Filters({ address, found, onClear }: FiltersProps) {
  const stores = useStores();
  const places = [{ value: '', label: 'to any store' }, ...(stores.data ?? []).map((one) => ({ value: one.id, label: `to ${one.name}` }))];
  return (
    <div className="filters">
      <Find
        label="Find by device, holder or store"
        value={address.get('words') ?? ''}
        onFind={(words) => address.set('words', words)}
        found={found}
      />
      <Choice label="Store" compact value={address.get('store') ?? ''} onChange={(id) => address.set('store', id)} options={places} />
      <Choice
        label="State"
        compact
        value={address.oneOf('state', ['owed', 'copying', 'failed']) ?? ''}
        onChange={(state) => address.set('state', state)}
        options={STATES}
      />
      {onClear && (
        <Button size="sm" variant="outline-secondary" onClick={onClear}>
          Clear
        </Button>
      )}
    </div>
  );
}

function Withdraw({ copy }: { copy: Copy }) {
  const withdraw = useAct(() => client.POST('/api/copies/{id}/withdraw', { params: { path: { id: copy.id } } }), 'copy');
  if (copy.state === 'copying' || !copy.by) return null;
  return (
    <>
      <Refused problem={withdraw.problem} />
      <Button
        size="sm"
        variant="outline-secondary"
        disabled={withdraw.busy}
        aria-label={`Withdraw the copy of ${copy.device_name}`}
        onClick={() => withdraw.go()}
      >
        Withdraw
      </Button>
    </>
  );
}
