/** The chart of a night: what was lined up against the window, and what came of it. */
import { Link, useSearchParams } from 'react-router';

import { problemOf } from '../../api/client';
import { counted, plainDay } from '../../ui/format';
import { Mark, RUN_STATES } from '../../ui/Mark';
import { TimeOnly, useNow } from '../../ui/Office';
import { Empty, Failed, Loading } from '../../ui/States';
import { NightChart } from './NightChart';
import { nightSentence, type NightRow } from './night';
import { useNight } from './queries';

export function NightScreen() {
  const [params] = useSearchParams();
  const now = useNow();
  const asked = params.get('night') ?? undefined;
  const night = useNight(asked);
  if (night.isPending) return <Loading what="the night" />;
  if (night.isError) return <Failed problem={problemOf(night.error)} onRetry={() => void night.refetch()} />;
  const { rows } = night.data;
  return (
    <>
      <div className="head">
        <div>
          <h1 tabIndex={-1}>The night of {plainDay(night.data.night)}</h1>
          <p className="sub mb-0">{nightSentence(night.data, now)}</p>
        </div>
        <Link to={`/history?night=${night.data.night}`}>its runs in the history</Link>
      </div>
      {rows.length === 0 ? (
        <div className="sheet">
          <Empty>Nothing is lined up for this night, and nothing ran in it.</Empty>
        </div>
      ) : (
        <>
          <div className="sheet pad scroll mb-3">
            <NightChart chart={night.data} now={now} />
          </div>
          <NightTable rows={rows} />
        </>
      )}
    </>
  );
}

function NightTable({ rows }: { rows: NightRow[] }) {
  return (
    <section>
      <h2>
        The same as a table <small>{counted(rows.length, 'run')}</small>
      </h2>
      <div className="sheet scroll">
        <table className="rows dense">
          <thead>
            <tr>
              <th scope="col">Device</th>
              <th scope="col">Plan</th>
              <th scope="col">Lined up</th>
              <th scope="col">Outcome</th>
              <th scope="col">Ran</th>
              <th scope="col">Cause</th>
            </tr>
          </thead>
          <tbody>
            {rows.map((row, n) => (
              <tr key={`${row.device_id} ${n}`}>
                <td className="nowrap">
                  <Link className="title-link" to={`/devices/${row.device_id}`}>
                    {row.device_name}
                  </Link>{' '}
                  <span className="quiet">{row.holder}</span>
                </td>
                <td className="nowrap">{row.plan}</td>
                <td className="nowrap">
                  {row.planned_start && row.planned_end ? (
                    <>
                      <TimeOnly at={row.planned_start} /> to <TimeOnly at={row.planned_end} />
                    </>
                  ) : (
                    <span className="quiet">by hand</span>
                  )}
                  {!row.fits && <span className="tone-late"> does not fit</span>}
                </td>
                <td>{row.state ? row.run_id ? <Link className="quiet-link" to={`/history/${row.run_id}`}><Mark look={RUN_STATES[row.state]} /></Link> : <Mark look={RUN_STATES[row.state]} /> : <span className="quiet">not yet</span>}</td>
                <td className="nowrap">
                  {row.started_at && <TimeOnly at={row.started_at} />}
                  {row.started_at && row.finished_at && (
                    <>
                      {' '}
                      to <TimeOnly at={row.finished_at} />
                    </>
                  )}
                </td>
                <td className="last-word">{row.cause}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </section>
  );
}
