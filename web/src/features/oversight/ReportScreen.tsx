/** The month on paper: promises kept, failures by cause, growth. Prints as it stands. */
import { useQuery } from '@tanstack/react-query';
import Button from 'react-bootstrap/Button';
import { useSearchParams } from 'react-router';

import { client, problemOf, told, type Schemas } from '../../api/client';
import { useMe } from '../../api/queries';
import { counted, grouped, iec, monthName, plainDay, spoken } from '../../ui/format';
import { Empty, Failed, Loading } from '../../ui/States';

type Share = Schemas['Share'];
const percent = (share: Share): string => (share.percent === null ? 'nothing was owed' : `${share.percent} %`);

export function ReportScreen() {
  const [params, setParams] = useSearchParams();
  const month = params.get('month') ?? undefined;
  const me = useMe();
  const report = useQuery({ queryKey: ['report', month], queryFn: () => told(client.GET('/api/report', { params: { query: month ? { month } : {} } })) });
  if (report.isPending) return <Loading what="the report" />;
  if (report.isError) return <Failed problem={problemOf(report.error)} onRetry={() => void report.refetch()} />;
  const found = report.data;
  const name = monthName(found.first.slice(0, 7));
  const { totals, before_totals: before } = found;
  return (
    <>
      <div className="head not-printed">
        <h1 tabIndex={-1}>The month on paper</h1>
        <div className="row-end">
          <input className="form-control form-control-sm w-auto" type="month" aria-label="Month" value={found.first.slice(0, 7)} onChange={(event) => event.target.value && setParams({ month: event.target.value })} />
          <Button size="sm" variant="outline-primary" onClick={() => window.print()}>
            Print
          </Button>
        </div>
      </div>
      <article className="record" aria-label={`Backups in ${name}`}>
        <h1 className="fs-4">
          Backups in {name}, {me.data?.office?.name}
        </h1>
        <p className="quiet">
          {plainDay(found.first)} to {plainDay(found.last)}
        </p>
        <p className="lead-figure">
          <b>{percent(found.promise)}</b> of {counted(found.promise.owed, 'device morning')} found a backup inside its promise; the month before {percent(found.before)}.
        </p>
        <p>
          {counted(totals.runs, 'run')}: {grouped(totals.came)} came, {grouped(totals.did_not)} did not
          {before.runs > 0 && ` (the month before ${grouped(before.came)} and ${grouped(before.did_not)})`}. They read {iec(totals.read_bytes)} and brought {iec(totals.stored_bytes)} that was new
          {totals.average_seconds !== null && `, ${spoken(totals.average_seconds)} each on average`}. {counted(found.matters, 'thing')} began to need a person.
        </p>
        <div className="contents">
          <h2>Teams</h2>
          {found.teams.length === 0 && <Empty>No morning of this month is on record.</Empty>}
          {found.teams.length > 0 && (
            <table className="rows">
              <thead>
                <tr>
                  <th scope="col">Team</th>
                  <th scope="col" className="num">Kept</th>
                  <th scope="col" className="num">Device mornings</th>
                </tr>
              </thead>
              <tbody>
                {found.teams.map((row) => (
                  <tr key={row.team}>
                    <td>{row.team || 'without a team'}</td>
                    <td className="num">{percent(row.share)}</td>
                    <td className="num">{grouped(row.share.owed)}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          )}
          <h2>Devices that were outside most often</h2>
          {found.worst.length === 0 ? (
            <p>None: every device was inside its promise on every morning on record.</p>
          ) : (
            <table className="rows">
              <tbody>
                {found.worst.map((row) => (
                  <tr key={row.device + row.holder}>
                    <td>
                      {row.device} <span className="quiet">{row.holder}</span>
                    </td>
                    <td className="num">
                      {row.share.owed - row.share.kept} of {row.share.owed} mornings outside
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          )}
          <h2>Why runs did not come</h2>
          {found.causes.length === 0 ? (
            <p>Every run came.</p>
          ) : (
            <table className="rows">
              <tbody>
                {found.causes.map((row) => (
                  <tr key={row.code}>
                    <td>{row.says || row.code}</td>
                    <td className="num">{counted(row.runs, 'run')}</td>
                    <td className="num">{counted(row.devices, 'device')}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          )}
          <h2>Growth</h2>
          <table className="rows">
            <thead>
              <tr>
                <th scope="col">Store</th>
                <th scope="col" className="num">Holds now</th>
                <th scope="col" className="num">Brought by the month</th>
                <th scope="col" className="num">Runs</th>
              </tr>
            </thead>
            <tbody>
              {found.stores.map((row) => (
                <tr key={row.name}>
                  <td>{row.name}</td>
                  <td className="num">{iec(row.stored_bytes)}</td>
                  <td className="num">{iec(row.new_bytes)}</td>
                  <td className="num">{grouped(row.runs)}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      </article>
    </>
  );
}
