/** Two runs of a device side by side, kind by kind. */
import { useQuery } from '@tanstack/react-query';
import { Link, useParams } from 'react-router';

import { client, problemOf, told, type Schemas } from '../../api/client';
import { key } from '../../api/keys';
import { Bytes } from '../../ui/Bytes';
import { grouped, iec, spoken } from '../../ui/format';
import { Mark, RUN_STATES } from '../../ui/Mark';
import { When } from '../../ui/Office';
import { FailedScreen, Heading } from '../../ui/Screen';
import { Empty, Loading } from '../../ui/States';

type Run = Schemas['Run'];

export function CompareScreen() {
  const { one = '', two = '' } = useParams();
  const answer = useQuery({
    queryKey: key('compare', one, two),
    queryFn: () => told(client.GET('/api/runs/{one}/with/{two}', { params: { path: { one, two } } })),
  });
  if (answer.isPending) return <Loading what="both runs" />;
  if (answer.isLoadingError) return <FailedScreen problem={problemOf(answer.error)} onRetry={() => void answer.refetch()} />;
  const { kinds } = answer.data;
  const [first, second] = [answer.data.one, answer.data.two].sort((a, b) => a.asked_at.localeCompare(b.asked_at)) as [Run, Run];
  const swapped = first.id !== answer.data.one.id;
  const pair = <T,>(values: T[]): [T, T] => (swapped ? [values[1] as T, values[0] as T] : [values[0] as T, values[1] as T]);
  return (
    <>
      <Heading title="Two runs compared" />
      <p className="sub">
        {first.device_id === second.device_id
          ? `${first.device_name}, ${first.holder}`
          : 'They are of different devices: only their figures can be compared.'}
      </p>
      <div className="halves mb-3">
        <OneRun run={first} word="Earlier" />
        <OneRun run={second} word="Later" />
      </div>
      <div className="sheet scroll">
        {kinds.length === 0 && <Empty>Neither made a backup, so there is nothing in them to compare.</Empty>}
        {kinds.length > 0 && (
          <table className="rows">
            <thead>
              <tr>
                <th scope="col">Kind</th>
                <th scope="col" className="num">
                  Items, earlier
                </th>
                <th scope="col" className="num">
                  later
                </th>
                <th scope="col" className="num">
                  difference
                </th>
                <th scope="col" className="num">
                  Size, earlier
                </th>
                <th scope="col" className="num">
                  later
                </th>
                <th scope="col" className="num">
                  difference
                </th>
              </tr>
            </thead>
            <tbody>
              {kinds.map((row) => {
                const [itemsBefore, itemsAfter] = pair(row.items);
                const [sizeBefore, sizeAfter] = pair(row.size_bytes);
                return (
                  <tr key={row.kind}>
                    <td>{row.label}</td>
                    <td className="num">{itemsBefore === null ? '–' : grouped(itemsBefore)}</td>
                    <td className="num">{itemsAfter === null ? '–' : grouped(itemsAfter)}</td>
                    <td className="num">
                      <Difference told={difference(itemsBefore, itemsAfter, grouped)} />
                    </td>
                    <td className="num">
                      <Bytes count={sizeBefore} />
                    </td>
                    <td className="num">
                      <Bytes count={sizeAfter} />
                    </td>
                    <td className="num">
                      <Difference told={difference(sizeBefore, sizeAfter, iec)} />
                    </td>
                  </tr>
                );
              })}
            </tbody>
          </table>
        )}
      </div>
    </>
  );
}

const Difference = ({ told: written }: { told: string }) => (written === 'same' ? <span className="quiet">same</span> : <b>{written}</b>);

function difference(before: number | null, after: number | null, written: (count: number) => string): string {
  if (before === null || after === null) return before === after ? '' : before === null ? 'new' : 'gone';
  if (before === after) return 'same';
  return `${after > before ? '+' : '−'}${written(Math.abs(after - before))}`;
}

function OneRun({ run, word }: { run: Run; word: string }) {
  const seconds =
    run.started_at && run.finished_at ? (new Date(run.finished_at).getTime() - new Date(run.started_at).getTime()) / 1000 : null;
  return (
    <section className="sheet pad">
      <h2>
        {word}:{' '}
        <Link to={`/history/${run.id}`}>
          <When at={run.started_at ?? run.asked_at} withAge />
        </Link>
      </h2>
      <p className="mb-1">
        <Mark look={RUN_STATES[run.state]} /> {run.cause}
      </p>
      <p className="quiet mb-0">
        {run.backup_id ? <Link to={`/backups/${run.backup_id}`}>look inside</Link> : 'no backup'} · read {iec(run.read_bytes)} · new in the
        store {iec(run.stored_bytes)}
        {seconds !== null && ` · ${spoken(Math.max(1, seconds))}`}
      </p>
    </section>
  );
}
