/** One run: watched while it goes on, and its record afterwards. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { Link, useParams } from 'react-router';

import { useAct } from '../../api/act';
import { client, problemOf, told, type Schemas } from '../../api/client';
import { key } from '../../api/keys';
import { useMay } from '../../api/may';
import { useKinds } from '../../api/queries';
import { Confirm } from '../../ui/forms/Confirm';
import { counted, grouped, iec, spoken } from '../../ui/format';
import { Mark, RUN_STATES } from '../../ui/Mark';
import { TimeOfDay, When } from '../../ui/Office';
import { FailedScreen, Heading } from '../../ui/Screen';
import { Loading, Refused } from '../../ui/States';
import { LeftOut } from './LeftOut';
import { Facts, Happened } from './RunFacts';

type Run = Schemas['RunDetail'];

export function RunScreen() {
  const { id = '' } = useParams();
  const run = useQuery({
    queryKey: key('run', id),
    queryFn: () => told(client.GET('/api/runs/{id}', { params: { path: { id } } })),
    refetchInterval: (query) => (['waiting', 'running'].includes(query.state.data?.state ?? '') ? 10_000 : false),
  });
  if (run.isPending) return <Loading what="the run" />;
  if (run.isLoadingError) return <FailedScreen problem={problemOf(run.error)} onRetry={() => void run.refetch()} />;
  return <Filled run={run.data} />;
}

function Filled({ run }: { run: Run }) {
  const may = useMay();
  const [asking, setAsking] = useState(false);
  const stop = useAct(() => client.POST('/api/runs/{id}/stop', { params: { path: { id: run.id } } }), 'run');
  const active = run.state === 'waiting' || run.state === 'running';
  const good = run.state === 'complete' || run.state === 'partial';
  return (
    <>
      <div className="head">
        <div>
          <Heading title={`Run of ${run.device_name}, ${run.holder}`}>
            Run of {run.device_name} <span className="quiet fw-normal">{run.holder}</span>
          </Heading>
          <p className="sub mb-0">
            <Mark look={RUN_STATES[run.state]} /> · {run.trigger === 'by_hand' ? 'by hand' : `plan ${run.plan_name}`} · asked{' '}
            <When at={run.asked_at} />
          </p>
        </div>
        <div className="row-end">
          <Link to={`/devices/${run.device_id}`}>Device {run.device_name}</Link>
          {run.backup_id && <Link to={`/backups/${run.backup_id}`}>look inside the backup</Link>}
          {run.before_id && <Link to={`/history/${run.before_id}/with/${run.id}`}>compare with the one before</Link>}
          {active && may('run') && (
            <Button variant="outline-danger" disabled={run.stop_asked || stop.busy} onClick={() => setAsking(true)}>
              {run.stop_asked ? 'Stopping …' : 'Stop'}
            </Button>
          )}
        </div>
      </div>
      <Refused problem={stop.problem} />
      <div role="status">
        {run.says && (
          <div className={good ? 'said' : 'said bad'}>
            <strong>{run.says}</strong> {!good && run.remedy}
          </div>
        )}
      </div>
      {active && <Under run={run} />}
      <div className="cols">
        <div className="stack">
          {run.stages.length > 0 && <Stages run={run} />}
          {run.progress.kinds && run.progress.kinds.length > 0 && <Kinds run={run} />}
          {run.skipped.length > 0 && <LeftOut run={run} />}
        </div>
        <aside className="stack">
          <Facts run={run} />
          <Happened run={run} />
        </aside>
      </div>
      {asking && (
        <Confirm
          title="Stop this run?"
          action="Stop it"
          onCancel={() => setAsking(false)}
          onConfirm={() => {
            setAsking(false);
            stop.go();
          }}
        >
          <p>No backup comes of it. What it has stored stays in the store and is used again by the next run.</p>
        </Confirm>
      )}
    </>
  );
}

function Under({ run }: { run: Run }) {
  const { progress } = run;
  const total = progress.to_read_bytes ?? 0;
  const read = progress.read_bytes ?? 0;
  const percent = total ? Math.min(100, Math.floor((read / total) * 100)) : progress.stage === 'closing' ? 100 : 0;
  return (
    <section className="sheet pad mb-3" aria-label="Progress">
      <div className="head mb-1">
        <strong>{run.state === 'waiting' ? (run.cause ? `Waiting: ${run.cause}` : 'Waiting for its turn') : progress.says}</strong>
        <span>
          {progress.stage === 'reading' && (
            <>
              {iec(progress.bytes_per_second ?? 0)} a second
              {restWords(progress)}
            </>
          )}
        </span>
      </div>
      <div
        className="bar-track"
        role="progressbar"
        aria-valuenow={percent}
        aria-valuemin={0}
        aria-valuemax={100}
        aria-label="Read of what has changed"
      >
        <i style={{ width: `${percent}%` }} />
      </div>
      {run.state === 'waiting' && run.next_try_at && (
        <p className="mb-1">
          Tried again <When at={run.next_try_at} withAge />
          {run.gives_up_at && (
            <>
              , at the latest until <When at={run.gives_up_at} />
            </>
          )}
          .
        </p>
      )}
      <p className="hint mb-0">
        {iec(read)} of {iec(total)}
        {progress.to_read_items ? `, ${grouped(progress.read_items ?? 0)} of ${counted(progress.to_read_items, 'item')}` : ''} read. Leave
        the device on power and connected, and do not use it until this says that it is safe to unplug.
      </p>
    </section>
  );
}

/** What remains, as a range while it is wide; one figure once it is narrow. */
function restWords(progress: Run['progress']): string {
  const { remaining_seconds: middle, remaining_least: least, remaining_most: most } = progress;
  if (middle === null || middle === undefined) return '';
  if (least === null || least === undefined || most === null || most === undefined || most - least < 0.25 * middle || most < 20)
    return ` · about ${spoken(Math.max(1, middle))} left`;
  return ` · ${spoken(Math.max(1, least))} to ${spoken(Math.max(1, most))} left`;
}

function Stages({ run }: { run: Run }) {
  const longest = Math.max(1, ...run.stages.map((stage) => stage.seconds ?? 0));
  return (
    <section>
      <h2>
        Stages{' '}
        <small>
          {[
            run.expected_seconds && `expected to take ${spoken(run.expected_seconds)}`,
            run.worked_seconds && `took ${spoken(Math.max(1, run.worked_seconds))}`,
          ]
            .filter(Boolean)
            .join(', ')}
        </small>
      </h2>
      <ol className="stages sheet pad">
        {run.stages.map((stage) => (
          <li key={stage.stage}>
            <TimeOfDay at={stage.at} />
            <span>{stage.says}</span>
            <i style={{ width: `${(100 * (stage.seconds ?? 0)) / longest}%` }} />
            <span className="num">{stage.seconds === null ? 'goes on' : stage.seconds < 1 ? 'under a second' : spoken(stage.seconds)}</span>
          </li>
        ))}
      </ol>
    </section>
  );
}

function Kinds({ run }: { run: Run }) {
  const kinds = useKinds();
  const label = (code: string) => kinds.data?.find((kind) => kind.code === code)?.label ?? code;
  return (
    <section>
      <h2>Kind by kind</h2>
      <div className="sheet scroll">
        <table className="rows">
          <thead>
            <tr>
              <th scope="col">Kind</th>
              <th scope="col" className="num">
                Items
              </th>
              <th scope="col" className="num">
                Stored already
              </th>
              <th scope="col" className="num">
                Read
              </th>
              <th scope="col" className="num">
                Bytes read
              </th>
            </tr>
          </thead>
          <tbody>
            {run.progress.kinds?.map((row) => (
              <tr key={row.kind} aria-current={run.progress.stage === 'reading' && run.progress.kind === row.kind ? 'step' : undefined}>
                <td>{label(row.kind)}</td>
                <td className="num">{grouped(row.items)}</td>
                <td className="num">{grouped(row.unchanged)}</td>
                <td className="num">
                  {grouped(row.read_items)} of {grouped(row.items - row.unchanged)}
                </td>
                <td className="num">
                  {iec(row.read_bytes)} of {iec(row.to_read_bytes)}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </section>
  );
}
