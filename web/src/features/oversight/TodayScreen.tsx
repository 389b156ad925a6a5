/** Today: the office in one sentence, then what needs a person, by cause, each with its next step. */
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { Link, useNavigate } from 'react-router';

import { client, problemOf, told, type Problem, type Schemas } from '../../api/client';
import { usePlans, useRuns, useStores } from '../../api/queries';
import { counted, iec } from '../../ui/format';
import { Gauge } from '../../ui/Gauge';
import { CAUSE_MARKS, Mark, RUN_STATES } from '../../ui/Mark';
import { When } from '../../ui/Office';
import { Empty, Failed, Loading, Refused } from '../../ui/States';
import { useToday } from './queries';

type Cause = Schemas['Cause'];

export function TodayScreen() {
  const today = useToday();
  const [problem, setProblem] = useState<Problem | null>(null);
  if (today.isPending) return <Loading what="the state of the office" />;
  if (today.isError) return <Failed problem={problemOf(today.error)} onRetry={() => void today.refetch()} />;
  const { inside, promised, says, causes } = today.data;
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
      <p className="sub">{says}</p>
      <Refused problem={problem} />
      <div className="cols">
        <div className="stack">
          <section>
            <h2>
              Needs a person <small>by cause, worst first</small>
            </h2>
            <div className="sheet">
              {causes.length === 0 && <Empty>{promised === 0 ? <FirstSteps /> : 'Nothing. Every device is as it should be.'}</Empty>}
              {causes.map((cause) => (
                <CauseRow key={cause.code} cause={cause} onProblem={setProblem} />
              ))}
            </div>
          </section>
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
    else if (cause.step === 'plan') void navigate('/plans');
    else if (cause.step === 'pair') void navigate('/devices/add');
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
      <div>
        <Button variant={cause.mark === 'late' ? 'primary' : 'outline-primary'} size="sm" onClick={act} disabled={runAll.isPending}>
          {cause.step_label}
        </Button>
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
              {store.trouble && <small className="tone-late">{store.trouble}</small>}
            </div>
          </div>
        ))}
      </div>
    </section>
  );
}

function TonightAside() {
  const plans = usePlans();
  const upcoming = (plans.data ?? []).filter((plan) => plan.next_run && plan.device_count > 0);
  return (
    <section>
      <h2>
        Next runs <small>by plan</small>
      </h2>
      <div className="sheet">
        {upcoming.length === 0 && <Empty>No plan is waiting for its time.</Empty>}
        {upcoming.map((plan) => (
          <div className="store" key={plan.id}>
            <div className="t">
              <Link to={`/plans/${plan.id}`}>{plan.name}</Link>
              <small>{counted(plan.device_count, 'device')}</small>
            </div>
            <small>{plan.next_run && <When at={plan.next_run} withAge />}</small>
          </div>
        ))}
      </div>
    </section>
  );
}
