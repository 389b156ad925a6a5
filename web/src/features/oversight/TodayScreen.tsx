/** Today: the office in one sentence, then what needs a person, by cause, each with its next step. */
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { Link, useNavigate } from 'react-router';

import { client, problemOf, told, type Problem, type Schemas } from '../../api/client';
import { useMe, useRuns, useStores } from '../../api/queries';
import { pauseWords } from '../../parts/Pausing';
import { clock, iec } from '../../ui/format';
import { Gauge } from '../../ui/Gauge';
import { CAUSE_MARKS, Mark, RUN_STATES } from '../../ui/Mark';
import { TimeOnly, useNow, useZone, When } from '../../ui/Office';
import { Empty, Failed, Loading, Refused } from '../../ui/States';
import { busy, nightSentence, type Chart } from './night';
import { PutOff } from './PutOff';
import { useNight, useToday } from './queries';

type Cause = Schemas['Cause'];

export function TodayScreen() {
  const today = useToday();
  const [problem, setProblem] = useState<Problem | null>(null);
  if (today.isPending) return <Loading what="the state of the office" />;
  if (today.isError) return <Failed problem={problemOf(today.error)} onRetry={() => void today.refetch()} />;
  const { inside, promised, says, causes, put_off: putOff, back_to_normal: normal, everything_paused: paused, silent_since: silent } = today.data;
  return (
    <>
      <h1 tabIndex={-1}>
        {promised === 0 ? (
          'Nothing has been promised yet.'
        ) : (
          <>
            <em>
              {inside} of {promised}
            </em>{' '}
            {promised === 1 ? 'device is inside its promise.' : 'devices are inside their promise.'}
          </>
        )}
      </h1>
      <p className="sub">
        {says}
        {today.data.turns_at && promised > 0 && (
          <>
            {' '}
            The next change, if nothing comes before: <When at={today.data.turns_at} withAge />.
          </>
        )}
      </p>
      {silent && (
        <div className="refused" role="alert">
          <strong>The scheduler has given no sign since <When at={silent} withAge />.</strong> Nothing starts by itself. Look at the log of the process “care” in the data folder, and start Old Attic again.
        </div>
      )}
      {paused && (
        <div className="said bad">
          <strong>Everything is {pauseWords(paused)}.</strong> {paused.by && `By ${paused.by}.`} <Link to="/plans">Go on with it under Plans.</Link>
        </div>
      )}
      <Refused problem={problem} />
      <div className="cols">
        <div className="stack">
          <section>
            <h2>
              Needs a person <small>by cause, worst first · <Link to="/matters">all of them, with their history</Link></small>
            </h2>
            <div className="sheet">
              {causes.length === 0 && <Empty>{promised === 0 ? <FirstSteps /> : 'Nothing. Every device is as it should be.'}</Empty>}
              {causes.map((cause) => (
                <CauseRow key={cause.code} cause={cause} onProblem={setProblem} />
              ))}
            </div>
          </section>
          {putOff.length > 0 && (
            <section>
              <h2>Put off</h2>
              <div className="sheet">
                {putOff.map((cause) => (
                  <CauseRow key={cause.code} cause={cause} onProblem={setProblem} />
                ))}
              </div>
            </section>
          )}
          {normal.length > 0 && (
            <section>
              <h2>
                Came back to normal <small>since yesterday</small>
              </h2>
              <ul className="log sheet pad">
                {normal.map((matter) => (
                  <li key={matter.id}>
                    <TimeOnly at={matter.closed_at} /> <span>{matter.says}</span>
                  </li>
                ))}
              </ul>
            </section>
          )}
          <LastRuns />
        </div>
        <aside className="stack">
          <StoresAside />
          <TonightAside />
        </aside>
      </div>
    </>
  );
}

function FirstSteps() {
  return (
    <>
      Three steps to the first backup: <Link to="/storage/add">add a store</Link>, <Link to="/devices/add">add a device</Link>, then{' '}
      <Link to="/plans/new">make a plan</Link>.
    </>
  );
}

function CauseRow({ cause, onProblem }: { cause: Cause; onProblem: (problem: Problem | null) => void }) {
  const navigate = useNavigate();
  const queries = useQueryClient();
  const me = useMe();
  const runAll = useMutation({
    mutationFn: async () => {
      const asked = await Promise.allSettled(
        cause.devices.map((device) => told(client.POST('/api/devices/{id}/run', { params: { path: { id: device.id } }, body: { note: '', occasion: '' } }))),
      );
      const refused = asked.find((one) => one.status === 'rejected');
      if (refused) throw refused.reason;
    },
    onSuccess: () => onProblem(null),
    onError: (error) => onProblem(problemOf(error)),
    onSettled: () => queries.invalidateQueries(),
  });
  const first = cause.devices[0]?.id ?? '';
  const act = () => {
    if (cause.step === 'run') runAll.mutate();
    else if (cause.step === 'open') void navigate(`/devices/${first}`);
    else if (cause.step === 'coverage') void navigate(`/devices/${first}/coverage`);
    else if (cause.step === 'plan') void navigate('/plans');
    else if (cause.step === 'pair') void navigate('/devices/add');
    else if (cause.step === 'oddities') void navigate('/oddities');
    else if (cause.step === 'night') void navigate('/night');
    else if (cause.step === 'clock') void navigate('/office#clock');
    else if (cause.step === 'restart') window.location.reload();
    else void navigate(cause.store_id ? `/storage/${cause.store_id}` : '/storage');
  };
  return (
    <div className="cause">
      <div className="n">{cause.devices.length || ''}</div>
      <div>
        <p className="why">
          <Mark look={CAUSE_MARKS[cause.mark]} wordless /> {cause.says}
        </p>
        <p className="who">
          {cause.opened_at && (
            <>
              since <When at={cause.opened_at} />
              {cause.devices.length > 0 && ': '}
            </>
          )}
          {cause.devices.map((device, n) => (
            <span key={device.id}>
              {n > 0 && ', '}
              <Link to={`/devices/${device.id}`}>
                {device.name} ({device.holder})
              </Link>
            </span>
          ))}
        </p>
      </div>
      <div className="acts">
        <Button variant={cause.mark === 'late' ? 'primary' : 'outline-primary'} size="sm" onClick={act} disabled={runAll.isPending}>
          {cause.step_label}
        </Button>
        {cause.matter_id && me.data?.user?.role !== 'auditor' && <PutOff id={cause.matter_id} until={cause.put_off_until} why={cause.put_off_why} />}
      </div>
    </div>
  );
}

function LastRuns() {
  const runs = useRuns({ page_size: 6 });
  return (
    <section>
      <h2>
        Latest runs <small>{<Link to="/history">the whole history</Link>}</small>
      </h2>
      <div className="sheet scroll">
        {runs.isError && <Failed problem={problemOf(runs.error)} />}
        {runs.data?.results.length === 0 && <Empty>No run yet.</Empty>}
        <table className="rows">
          <tbody>
            {runs.data?.results.map((run) => (
              <tr key={run.id} className="linked">
                <td className="nowrap">
                  <Mark look={RUN_STATES[run.state]} />
                </td>
                <td>
                  <Link className="title-link" to={`/history/${run.id}`}>
                    {run.device_name}
                  </Link>{' '}
                  <span className="quiet">{run.holder}</span>
                </td>
                <td className="nowrap">
                  <When at={run.finished_at ?? run.asked_at} withAge />
                </td>
                <td className="num">{run.backup_id ? `+${iec(run.stored_bytes)}` : '–'}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </section>
  );
}

function StoresAside() {
  const stores = useStores();
  return (
    <section>
      <h2>
        Stores <small>what they hold</small>
      </h2>
      <div className="sheet">
        {stores.isError && <Failed problem={problemOf(stores.error)} />}
        {stores.data?.length === 0 && <Empty>No store yet.</Empty>}
        {stores.data?.map((store) => (
          <div className="store" key={store.id}>
            <div className="t">
              <Link to={`/storage/${store.id}`}>{store.name}</Link>
              <small>{store.medium}</small>
            </div>
            <Gauge used={store.stored_bytes} waiting={store.waiting_bytes} limit={store.allowance_bytes} label={store.name} />
            <div className="t">
              <small>
                {iec(store.stored_bytes)}
                {store.allowance_bytes ? ` of ${iec(store.allowance_bytes)}` : ', no allowance set'}
              </small>
            </div>
            {store.trouble && <small className="tone-late d-block">{store.trouble}</small>}
          </div>
        ))}
      </div>
    </section>
  );
}

function TonightAside() {
  const night = useNight();
  const now = useNow();
  const rows = night.data?.rows ?? [];
  return (
    <section>
      <h2>
        Tonight <small>{rows.length > 0 && <Link to="/night">the line-up</Link>}</small>
      </h2>
      <div className="sheet pad">
        {night.isError && <Failed problem={problemOf(night.error)} />}
        {night.data && rows.length === 0 && <Empty>Nothing is lined up.</Empty>}
        {night.data && rows.length > 0 && (
          <>
            <p className="mb-1">
              {nightSentence(night.data, now)} {night.data.planned_finish && <>It should be through by <TimeOnly at={night.data.planned_finish} />.</>}
            </p>
            <Busy chart={night.data} />
          </>
        )}
      </div>
    </section>
  );
}

/** How many runs read at the same time, over the night: the line-up in the room of a thumb. */
function Busy({ chart }: { chart: Chart }) {
  const zone = useZone();
  const { steps, most } = busy(chart);
  if (most === 0) return null;
  const width = 320;
  return (
    <svg className="busy" viewBox={`0 0 ${width} 46`} role="img" aria-label={`Up to ${most} runs at a time`}>
      {steps.map((step, n) => (
        <rect key={n} x={step.from * width} width={Math.max(0.5, (step.to - step.from) * width)} y={30 - (step.count / most) * 28} height={(step.count / most) * 28} />
      ))}
      <line x1="0" x2={width} y1="30" y2="30" />
      <text x="0" y="43">{clock(chart.opens, zone)}</text>
      <text x={width} y="43" textAnchor="end">{clock(chart.closes, zone)}</text>
    </svg>
  );
}
