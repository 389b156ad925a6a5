/** One restore: its progress, then its report with counts expected and found. */
import { useQuery } from '@tanstack/react-query';
import Button from 'react-bootstrap/Button';
import { Link, useParams } from 'react-router';

import { useAct } from '../../api/act';
import { client, problemOf, told, type Schemas } from '../../api/client';
import { key } from '../../api/keys';
import { useMay } from '../../api/may';
import { counted, grouped, iec } from '../../ui/format';
import { Mark } from '../../ui/Mark';
import { When } from '../../ui/Office';
import { FailedScreen, Heading } from '../../ui/Screen';
import { Loading, Refused } from '../../ui/States';
import { RESTORE_STATES, closing, columnsOf, isGone, wentTo } from './words';

type Restore = Schemas['Restore'];

export function RestoreReportScreen() {
  const { id = '' } = useParams();
  const restore = useQuery({
    queryKey: key('restore', id),
    queryFn: () => told(client.GET('/api/restores/{id}', { params: { path: { id } } })),
    refetchInterval: (query) => (['waiting', 'running'].includes(query.state.data?.state ?? '') ? 5_000 : false),
  });
  const may = useMay();
  const stop = useAct(() => client.POST('/api/restores/{id}/stop', { params: { path: { id } } }), 'restore');
  if (restore.isPending) return <Loading what="the restore" />;
  if (restore.isLoadingError) return <FailedScreen problem={problemOf(restore.error)} onRetry={() => void restore.refetch()} />;
  const details = restore.data;
  const says = closing(details);
  const active = details.state === 'waiting' || details.state === 'running';
  return (
    <>
      <div className="head">
        <div>
          <Heading title={`Restore from ${details.source_name}, ${details.source_holder}`}>
            Restore {wentTo(details)}{' '}
            <span className="quiet fw-normal">
              from {details.source_name}, {details.source_holder}
            </span>
          </Heading>
          <p className="sub mb-0">
            <Mark look={RESTORE_STATES[details.state]} /> · moment{' '}
            <Link to={`/backups/${details.backup_id}`}>{<When at={details.backup_at} />}</Link> · asked by {details.by_name}{' '}
            <When at={details.asked_at} />
          </p>
        </div>
        {active && may('restore') && (
          <Button variant="outline-danger" disabled={stop.busy || details.stop_asked} onClick={() => stop.go()}>
            {details.stop_asked ? 'Stopping …' : 'Stop this restore'}
          </Button>
        )}
        {details.file_name && (
          <a className="btn btn-primary" href={`/api/restores/${details.id}/archive`} download>
            Save {details.file_name} ({iec(details.file_bytes ?? 0)})
          </a>
        )}
      </div>
      <Refused problem={stop.problem} />
      <Gone restore={details} />
      <div role="status">
        {says && (
          <div className={details.state === 'complete' ? 'said' : 'said bad'}>
            <strong>{says}</strong> {details.remedy}
          </div>
        )}
      </div>
      {active && <Progress restore={details} />}
      {details.report.length > 0 && (
        <div className="sheet scroll">
          <table className="rows">
            <thead>
              <tr>
                <th scope="col">Kind</th>
                {columnsOf(details).map((column) => (
                  <th key={column.label} scope="col" className="num">
                    {column.label}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {details.report.map((row) => (
                <tr key={row.kind}>
                  <td>{row.label}</td>
                  {columnsOf(details).map((column) => (
                    <td key={column.label} className="num">
                      {column.count(row) === undefined ? <span className="quiet">–</span> : grouped(column.count(row) ?? 0)}
                    </td>
                  ))}
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      <Lists restore={details} />
    </>
  );
}

/** By name: what is missing, damaged, refused or called otherwise now. */
function Lists({ restore }: { restore: Restore }) {
  const lists = restore.report.flatMap((row) => [
    {
      title: `${row.label}: missing, or other than it should be`,
      rows: (row.missing ?? []).map((name) => [name, ''] as const),
      count: row.missing_count ?? 0,
      bad: true,
    },
    {
      title: `${row.label}: damaged in the store`,
      rows: row.damaged.map((name) => [name, 'another backup of the device may have it whole'] as const),
      count: row.damaged.length,
      bad: true,
    },
    {
      title: `${row.label}: refused by the place`,
      rows: (row.refused ?? []).map(([name = '', why = '']) => [name, why] as const),
      count: row.refused?.length ?? 0,
      bad: true,
    },
    {
      title: `${row.label}: under another name, because the place cannot hold its own`,
      rows: (row.renamed ?? []).map(([name = '', now = '']) => [name, now] as const),
      count: row.renamed?.length ?? 0,
      bad: false,
    },
  ]);
  return (
    <>
      {lists
        .filter((list) => list.count > 0)
        .map((list) => (
          <section key={list.title} className="mt-3">
            <h2 className={list.bad ? 'tone-late' : undefined}>
              {list.title} <small>{counted(list.count, 'item')}</small>
            </h2>
            <div className="sheet scroll">
              <table className="rows">
                <tbody>
                  {list.rows.map(([name, more], n) => (
                    <tr key={`${name} ${n}`}>
                      <td>{name}</td>
                      <td className="quiet">{more}</td>
                    </tr>
                  ))}
                </tbody>
              </table>
            </div>
            {list.rows.length < list.count && (
              <p className="hint">
                The first {grouped(list.rows.length)} of {grouped(list.count)} are named.
              </p>
            )}
          </section>
        ))}
    </>
  );
}

function Progress({ restore }: { restore: Restore }) {
  const { done_bytes: done = 0, total_bytes: total = 0 } = restore.progress;
  const percent = total ? Math.floor((done / total) * 100) : 0;
  return (
    <section className="sheet pad" aria-label="Progress">
      <div className="bar-track" role="progressbar" aria-valuenow={percent} aria-valuemin={0} aria-valuemax={100} aria-label="Written">
        <i style={{ width: `${percent}%` }} />
      </div>
      <p className="hint mb-0">
        {total ? `${iec(done)} of ${iec(total)} written.` : 'Waiting for its turn.'}
        {restore.target === 'device' && ' Leave the device on power and connected.'}
      </p>
    </section>
  );
}

/** Of an archive that cannot be fetched any more. */
function Gone({ restore }: { restore: Restore }) {
  if (!isGone(restore)) return null;
  return (
    <p className="hint">
      The archive is not on the server any more: it was erased, its time was over, or the server was started anew. The backup is still
      there: <Link to={`/restore?device=${restore.source_device_id}&backup=${restore.backup_id}`}>make it again</Link>.
    </p>
  );
}
