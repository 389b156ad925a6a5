/** The month on paper: promises kept, failures by cause, growth. Prints as it stands. */
import { useQuery } from '@tanstack/react-query';
import Button from 'react-bootstrap/Button';
import { useSearchParams } from 'react-router';

import { client, problemOf, told } from '../../api/client';
import { key } from '../../api/keys';
import { useMe } from '../../api/queries';
import { dayIn } from '../../ui/forms/dates';
import { Choice } from '../../ui/forms/Field';
import { counted, grouped, iec, monthName, plainDay, spoken } from '../../ui/format';
import { useNow, useZone, When } from '../../ui/Office';
import { FailedScreen, Heading } from '../../ui/Screen';
import { Loading } from '../../ui/States';
import { monthsUpTo, percent, type Report } from './report';
import { ReportTables } from './ReportTables';

export function ReportScreen() {
  const [params, setParams] = useSearchParams();
  const month = params.get('month') ?? undefined;
  const me = useMe();
  const thisMonth = dayIn(useNow(), useZone()).slice(0, 7);
  const report = useQuery({
    queryKey: key('report', month),
    queryFn: () => told(client.GET('/api/report', { params: { query: month ? { month } : {} } })),
  });
  if (report.isPending) return <Loading what="the report" />;
  if (report.isLoadingError) return <FailedScreen problem={problemOf(report.error)} onRetry={() => void report.refetch()} />;
  const details = report.data;
  const name = monthName(details.first.slice(0, 7));
  return (
    <>
      <div className="head not-printed">
        <Heading title="The month on paper" />
        <div className="row-end">
          <Choice
            compact
            label="Month"
            value={details.first.slice(0, 7)}
            onChange={(next) => setParams({ month: next })}
            options={monthsUpTo(thisMonth, details.first.slice(0, 7)).map((one) => ({ value: one, label: monthName(one) }))}
          />
          <Button size="sm" variant="outline-primary" onClick={() => window.print()}>
            Print
          </Button>
        </div>
      </div>
      <article className="record" aria-label={`Backups in ${name}`}>
        <h2 className="fs-4 d-block">
          Backups in {name}, {me.data?.office?.name}
        </h2>
        <p className="quiet">
          {plainDay(details.first)} to {plainDay(details.last)}
          {details.made_at && (
            <>
              , as written down <When at={details.made_at} />
            </>
          )}
        </p>
        <Lead found={details} />
        <div className="contents">
          <ReportTables found={details} />
        </div>
      </article>
    </>
  );
}

function Lead({ found }: { found: Report }) {
  const { totals, before_totals: before } = found;
  return (
    <>
      <p className="lead-figure">
        <b>{percent(found.promise)}</b> of {counted(found.promise.owed, 'device morning')} found a backup inside its promise; the month
        before {percent(found.before)}.
      </p>
      <p>
        {counted(totals.runs, 'run')}: {grouped(totals.came)} succeeded, {grouped(totals.did_not)} did not
        {before.runs > 0 && ` (the month before ${grouped(before.came)} and ${grouped(before.did_not)})`}. They read{' '}
        {iec(totals.read_bytes)} and brought {iec(totals.stored_bytes)} that was new
        {totals.average_seconds !== null && `, ${spoken(totals.average_seconds)} each on average`}. {counted(found.incidents, 'thing')}{' '}
        began to need a person.
      </p>
    </>
  );
}
