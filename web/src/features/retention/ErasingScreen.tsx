/** What was, is and will be erased on request, newest first. */
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';

import { client, problemOf, told, type Schemas } from '../../api/client';
import { key } from '../../api/keys';
import { useAddress } from '../../ui/address';
import { plainDay } from '../../ui/format';
import { When } from '../../ui/Office';
import { Pager } from '../../ui/Pager';
import { Heading } from '../../ui/Screen';
import { Empty, Failed, Loading } from '../../ui/States';
import { Table, type Column } from '../../ui/Table';
import { erased, standing } from './erasing';

type Erasure = Schemas['Erasure'];

const PAGE = 50;
const COLUMNS: readonly Column<Erasure>[] = [
  {
    head: 'Request',
    cell: (row) => (
      <Link className="title-link" to={`/erasing/${row.id}`}>
        {row.reference}
      </Link>
    ),
  },
  { head: 'What', cell: (row) => erased(row) },
  { head: 'Asked', className: 'nowrap', cell: (row) => <When at={row.asked_at} /> },
  { head: 'State', cell: (row) => standing(row) },
  { head: 'Last byte', className: 'nowrap', cell: (row) => (row.ends_on ? plainDay(row.ends_on) : '–') },
];

export function ErasingScreen() {
  const address = useAddress();
  const wanted = { page: address.page, page_size: PAGE };
  const rows = useQuery({
    queryKey: key('erasures', wanted),
    queryFn: () => told(client.GET('/api/erasures', { params: { query: wanted } })),
    placeholderData: keepPreviousData,
  });
  return (
    <>
      <Heading title="Erased on request" />
      <p className="sub">
        A person, a device or single items, out of every moment and store. It is asked for on a <Link to="/devices">device’s</Link> page, a
        person’s, or in a backup.
      </p>
      <div className="sheet scroll">
        {rows.isPending && <Loading what="requests" />}
        {rows.isLoadingError && <Failed problem={problemOf(rows.error)} onRetry={() => void rows.refetch()} />}
        {rows.data?.count === 0 && <Empty>Nobody has asked that anything be erased.</Empty>}
        {rows.data && rows.data.count > 0 && <Table columns={COLUMNS} rows={rows.data.results} keyOf={(row) => row.id} />}
        <Pager page={address.page} pageSize={PAGE} count={rows.data?.count ?? 0} onPage={address.turn} />
      </div>
    </>
  );
}
