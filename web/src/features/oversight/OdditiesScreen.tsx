/** Backups that succeeded and look wrong: the numbers, the two moments to compare, and a word when somebody has looked. */
import { useMutation, useQuery, useQueryClient, keepPreviousData } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { Link, useSearchParams } from 'react-router';

import { client, problemOf, told, type Schemas } from '../../api/client';
import { useMe } from '../../api/queries';
import { Confirm } from '../../ui/Confirm';
import { When } from '../../ui/Office';
import { Pager } from '../../ui/Pager';
import { Empty, Failed, Loading, Refused } from '../../ui/States';

type Odd = Schemas['Odd'];
const PAGE = 50;

export function OdditiesScreen() {
  const [params, setParams] = useSearchParams();
  const page = Number(params.get('page') ?? 1);
  const all = params.get('all') === '1';
  const device = params.get('device') ?? undefined;
  const odd = useQuery({
    queryKey: ['oddities', all, device, page],
    queryFn: () => told(client.GET('/api/oddities', { params: { query: { ...(all ? {} : { open: true }), device, page, page_size: PAGE } as never } })),
    placeholderData: keepPreviousData,
  });
  return (
    <>
      <div className="head">
        <div>
          <h1 tabIndex={-1}>Looks wrong</h1>
          <p className="sub mb-0">Backups that came and are far off their own device’s habits. Compare the two moments, then say that you have looked.</p>
        </div>
        <button type="button" className={all ? 'chip on' : 'chip'} aria-pressed={all} onClick={() => setParams(all ? {} : { all: '1' })}>
          looked at, too
        </button>
      </div>
      <div className="stack">
        {odd.isPending && <Loading what="what looks wrong" />}
        {odd.isError && <Failed problem={problemOf(odd.error)} onRetry={() => void odd.refetch()} />}
        {odd.data?.results.length === 0 && (
          <div className="sheet">
            <Empty>{all ? 'Nothing has ever looked wrong.' : 'Nothing looks wrong.'}</Empty>
          </div>
        )}
        {odd.data?.results.map((row) => (
          <OneOddity key={row.id} row={row} />
        ))}
      </div>
      <Pager page={page} pageSize={PAGE} count={odd.data?.count ?? 0} onPage={(next) => setParams({ ...(all ? { all: '1' } : {}), page: String(next) })} />
    </>
  );
}

function OneOddity({ row }: { row: Odd }) {
  const me = useMe();
  const queries = useQueryClient();
  const [asking, setAsking] = useState(false);
  const settle = useMutation({
    mutationFn: (why: string) => told(client.POST('/api/oddities/{id}/settle', { params: { path: { id: row.id } }, body: { why } })),
    onSettled: () => queries.invalidateQueries(),
  });
  return (
    <section className="sheet pad">
      <Refused problem={settle.error ? problemOf(settle.error) : null} />
      <div className="head mb-0">
        <div>
          <h2 className="mb-1">
            <Link className="title-link" to={`/devices/${row.device_id}`}>
              {row.device_name}
            </Link>{' '}
            <small>{row.holder}</small>
          </h2>
          <p className="mb-1">{row.says}</p>
          <p className="quiet mb-0">
            Backup of <When at={row.backup_at} withAge />
            {row.numbers['score'] !== undefined && ` · ${Math.abs(Math.round(row.numbers['score']))} times as far off as usual days differ`}
            {row.settled_at && ` · looked at${row.settled_by ? ` by ${row.settled_by}` : ''}: ${row.settled_why || 'no word'}`}
          </p>
        </div>
        <div className="row-end">
          <Link to={`/backups/${row.backup_id}`}>this one</Link>
          {row.before && <Link to={`/backups/${row.before}`}>the one before</Link>}
          {row.run_id && <Link to={`/history/${row.run_id}`}>its run</Link>}
          {!row.settled_at && me.data?.user?.role !== 'auditor' && (
            <Button size="sm" disabled={settle.isPending} onClick={() => setAsking(true)}>
              I have looked
            </Button>
          )}
        </div>
      </div>
      {asking && (
        <Confirm
          title="What was it?"
          action="It is settled"
          reason="In a few words, for whoever asks later"
          onCancel={() => setAsking(false)}
          onConfirm={(why) => {
            setAsking(false);
            settle.mutate(why);
          }}
        >
          <p>It does not need a person any more. If it was damage, hold the backup before first, so that no rule removes it.</p>
        </Confirm>
      )}
    </section>
  );
}
