/** What a check found damaged in a store: each backup that it touches, what of it cannot be given back, and where it lies whole. */
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';

import { client, problemOf, told, type Schemas } from '../../api/client';
import { key } from '../../api/keys';
import { counted } from '../../ui/format';
import { When } from '../../ui/Office';
import { Pager } from '../../ui/Pager';
import { Failed } from '../../ui/States';
import { Table, type Column } from '../../ui/Table';
import { lostWords, mendsWords } from './words';

type Row = Schemas['DamagedCopy'];

const PAGE = 20;
const COLUMNS: readonly Column<Row>[] = [
  {
    head: 'Backup',
    className: 'nowrap',
    cell: (row) => (
      <>
        <Link className="title-link" to={`/backups/${row.backup_id}`}>
          {row.device_name}
        </Link>{' '}
        <span className="quiet">
          {row.holder}, <When at={row.backup_at} />
        </span>
      </>
    ),
  },
  { head: 'Cannot be given back', cell: (row) => lostWords(row.lost) },
  { head: 'What mends it', cell: (row) => mendsWords(row.whole_in) },
];

/** Nothing while nothing is damaged. */
export function Damage({ storeId }: { storeId: string }) {
  const [page, setPage] = useState(1);
  const params = { path: { id: storeId }, query: { page, page_size: PAGE } };
  const answer = useQuery({
    queryKey: key('stores', 'damage', params),
    queryFn: () => told(client.GET('/api/stores/{id}/damage', { params })),
    placeholderData: keepPreviousData,
  });
  if (answer.isLoadingError) return <Failed problem={problemOf(answer.error)} onRetry={() => void answer.refetch()} />;
  if (!answer.data?.count) return null;
  return (
    <section className="mb-3">
      <h2>
        Damage <small>{counted(answer.data.count, 'backup')} cannot be restored whole from here</small>
      </h2>
      <div className="sheet scroll">
        <Table columns={COLUMNS} rows={answer.data.results} keyOf={(row) => String(row.id)} />
        <Pager page={page} pageSize={PAGE} count={answer.data.count} onPage={setPage} />
      </div>
    </section>
  );
}
