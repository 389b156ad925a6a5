/** Backups that succeeded and look wrong: the numbers, the two moments to compare, and a word when somebody has looked. */
import { useQuery, keepPreviousData } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { Link, useSearchParams } from 'react-router';

import { useAct } from '../../api/act';
import { client, problemOf, told, type Schemas } from '../../api/client';
import { key } from '../../api/keys';
import { useMay } from '../../api/may';
import { Confirm } from '../../ui/forms/Confirm';
import { When } from '../../ui/Office';
import { Pager } from '../../ui/Pager';
import { Heading } from '../../ui/Screen';
import { Empty, Failed, Loading, Refused } from '../../ui/States';

type Odd = Schemas['Odd'];
const PAGE = 50;

export function AnomaliesScreen() {
  const [params, setParams] = useSearchParams();
  const page = Number(params.get('page') ?? 1);
  const all = params.get('all') === '1';
  const device = params.get('device') ?? undefined;
  const odd = useQuery({
    queryKey: key('anomalies', all, device, page),
    queryFn: () =>
      told(client.GET('/api/anomalies', { params: { query: { ...(all ? {} : { open: true }), device, page, page_size: PAGE } } })),
    placeholderData: keepPreviousData,
  });
  return (
    <>
      <div className="head">
        <div>
          <Heading title="Looks wrong" />
          <p className="sub mb-0">
            Backups that succeeded and are far off their own device’s habits. Compare the two moments, then say that you have looked.
          </p>
        </div>
        <button type="button" className={all ? 'chip on' : 'chip'} aria-pressed={all} onClick={() => setParams(all ? {} : { all: '1' })}>
          looked at, too
        </button>
      </div>
      <div className="stack">
        {odd.isPending && <Loading what="what looks wrong" />}
        {odd.isLoadingError && <Failed problem={problemOf(odd.error)} onRetry={() => void odd.refetch()} />}
        {odd.data?.results.length === 0 && (
          <div className="sheet">
            <Empty>{all ? 'Nothing has ever looked wrong.' : 'Nothing looks wrong.'}</Empty>
          </div>
        )}
        {odd.data?.results.map((row) => (
          <OneAnomaly key={row.id} row={row} />
        ))}
      </div>
      <Pager
        page={page}
        pageSize={PAGE}
        count={odd.data?.count ?? 0}
        onPage={(next) => setParams({ ...(all ? { all: '1' } : {}), page: String(next) })}
      />
    </>
  );
}

function OneAnomaly({ row }: { row: Odd }) {
  const may = useMay();
  const [asking, setAsking] = useState(false);
  const settle = useAct(
    (why: string) => client.POST('/api/anomalies/{id}/settle', { params: { path: { id: row.id } }, body: { why } }),
    'incident',
  );
  return (
    <section className="sheet pad">
      <Refused problem={settle.problem} />
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
          <Link to={`/backups/${row.backup_id}`}>This backup</Link>
          {row.before && <Link to={`/backups/${row.before}`}>the one before</Link>}
          {row.run_id && <Link to={`/history/${row.run_id}`}>Its run</Link>}
          {!row.settled_at && may('settle') && (
            <Button size="sm" disabled={settle.busy} onClick={() => setAsking(true)}>
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
            settle.go(why);
          }}
        >
          <p>It does not need a person any more. If it was damage, hold the backup before first, so that no rule removes it.</p>
        </Confirm>
      )}
    </section>
  );
}
