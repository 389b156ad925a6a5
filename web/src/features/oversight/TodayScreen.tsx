/** Today: the office in one sentence, then what needs a person, by cause, each with its next step. */
import { Link } from 'react-router';

import { problemOf } from '../../api/client';
import { useRuns } from '../../api/queries';
import { pauseWords } from '../../parts/pauses';
import { iec, plural } from '../../ui/format';
import { Mark, RUN_STATES } from '../../ui/Mark';
import { TimeOnly, When } from '../../ui/Office';
import { FailedScreen, Heading } from '../../ui/Screen';
import { Empty, Failed, Loading } from '../../ui/States';
import { CauseRow } from './CauseRow';
import { useToday } from './queries';
import { StoresAside, TonightAside } from './TodayAside';

export function TodayScreen() {
  const today = useToday();
  if (today.isPending) return <Loading what="the state of the office" />;
  if (today.isLoadingError) return <FailedScreen problem={problemOf(today.error)} onRetry={() => void today.refetch()} />;
  const {
    inside,
    promised,
    says,
    causes,
    put_off: putOff,
    back_to_normal: normal,
    everything_paused: paused,
    silent_since: silent,
  } = today.data;
  return (
    <>
      <Heading title="Today">
        {promised === 0 ? (
          'Nothing has been promised yet.'
        ) : (
          <>
            <em>
              {inside} of {promised}
            </em>{' '}
            {plural(promised, 'device is inside its promise.', 'devices are inside their promise.')}
          </>
        )}
      </Heading>
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
          <strong>
            The scheduler has given no sign since <When at={silent} withAge />.
          </strong>{' '}
          Nothing starts by itself. Look at the log of the process “care” in the data folder, and start Old Attic again.
        </div>
      )}
      {paused && (
        <div className="said bad">
          <strong>Everything is {pauseWords(paused)}.</strong> {paused.by && `By ${paused.by}.`}{' '}
          <Link to="/plans">Go on with it under Plans.</Link>
        </div>
      )}
      <div className="cols">
        <div className="stack">
          <section>
            <h2>
              Needs a person{' '}
              <small>
                by cause, worst first · <Link to="/incidents">all of them, with their history</Link>
              </small>
            </h2>
            <div className="sheet">
              {causes.length === 0 && <Empty>{promised === 0 ? <FirstSteps /> : 'Nothing. Every device is as it should be.'}</Empty>}
              {causes.map((cause) => (
                <CauseRow key={cause.code} cause={cause} />
              ))}
            </div>
          </section>
          {putOff.length > 0 && (
            <section>
              <h2>Put off</h2>
              <div className="sheet">
                {putOff.map((cause) => (
                  <CauseRow key={cause.code} cause={cause} />
                ))}
              </div>
            </section>
          )}
          {normal.length > 0 && (
            <section>
              <h2>
                Back to normal <small>since yesterday</small>
              </h2>
              <ul className="log sheet pad">
                {normal.map((incident) => (
                  <li key={incident.id}>
                    <TimeOnly at={incident.closed_at} /> <span>{incident.says}</span>
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

function LastRuns() {
  const runs = useRuns({ page_size: 6 });
  return (
    <section>
      <h2>
        Latest runs <small>{<Link to="/history">the whole history</Link>}</small>
      </h2>
      <div className="sheet scroll">
        {runs.isLoadingError && <Failed problem={problemOf(runs.error)} />}
        {runs.data?.results.length === 0 && <Empty>No run yet.</Empty>}
        <table className="rows cards">
          <tbody>
            {runs.data?.results.map((run) => (
              <tr key={run.id} className="linked">
                <td className="nowrap" data-label="Outcome">
                  <Mark look={RUN_STATES[run.state]} />
                </td>
                <td data-label="Device">
                  <Link className="title-link" to={`/history/${run.id}`}>
                    {run.device_name}
                  </Link>{' '}
                  <span className="quiet">{run.holder}</span>
                </td>
                <td className="nowrap" data-label="When">
                  <When at={run.finished_at ?? run.asked_at} withAge />
                </td>
                <td className="num" data-label="New">
                  {run.backup_id ? `+${iec(run.stored_bytes)}` : '–'}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </section>
  );
}
