/** What a store held day by day: areas one on another, and the same as a table. */
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';

import { client, problemOf, told } from '../../api/client';
import { key } from '../../api/keys';
import { useAddress } from '../../ui/address';
import { Bytes } from '../../ui/Bytes';
import { iec, plainDay } from '../../ui/format';
import { Choice } from '../../ui/forms/Field';
import { Scroll } from '../../ui/Scroll';
import { Empty, Failed, Loading } from '../../ui/States';
import { drawnNote, pathOf, stacked, type Course, type Drawn } from './quotas';

const BY = [
  { value: 'team', label: 'by team' },
  { value: 'kind', label: 'by kind' },
  { value: 'device', label: 'by device' },
] as const;
const HUES = 6;
type Over = (typeof BY)[number]['value'];

export function OverTime({ storeId }: { storeId: string }) {
  const address = useAddress();
  const by: Over = address.oneOf<Over>('over', ['team', 'kind', 'device']) ?? 'team';
  const [asTable, setAsTable] = useState(false);
  const answer = useQuery({
    queryKey: key('stores', storeId, 'over-time', by),
    queryFn: () => told(client.GET('/api/stores/{id}/over-time', { params: { path: { id: storeId }, query: { by, days: 90 } } })),
    placeholderData: keepPreviousData,
  });
  return (
    <section>
      <div className="head mb-1">
        <h2 className="mb-0">
          Over time <small>ninety days, without what is about to go</small>
        </h2>
        <div className="filters mb-0">
          <Choice<Over> label="Over time" compact value={by} onChange={(next) => address.set('over', next)} options={BY} />
          <Button size="sm" variant="outline-primary" onClick={() => setAsTable(!asTable)}>
            {asTable ? 'As a picture' : 'As a table'}
          </Button>
          <a href={`/api/stores/${storeId}/over-time.csv?by=${by}&days=1100`}>CSV</a>
        </div>
      </div>
      <div className="sheet pad">
        {answer.isPending && <Loading what="what it held" />}
        {answer.isLoadingError && <Failed problem={problemOf(answer.error)} onRetry={() => void answer.refetch()} />}
        {answer.data && (asTable ? <Days course={answer.data} /> : <Picture course={answer.data} />)}
        {answer.data && <p className="quiet mb-0">{drawnNote(answer.data.days)}</p>}
      </div>
    </section>
  );
}

function Picture({ course }: { course: Course }) {
  const drawn = stacked(course);
  const [first, last] = [course.days[0], course.days.at(-1)];
  if (!drawn || !first || !last) return <Empty>It was measured on one day so far: a second one makes a line.</Empty>;
  return (
    <figure className="over-time mb-0">
      <Chart
        drawn={drawn}
        says={`From ${iec(first.stored_bytes - first.going_bytes)} on ${plainDay(first.day)} to ${iec(last.stored_bytes - last.going_bytes)} on ${plainDay(last.day)}`}
      />
      <div className="ends quiet">
        <span>{plainDay(first.day)}</span>
        <span>{iec(drawn.most)} is the top</span>
        <span>{plainDay(last.day)}</span>
      </div>
      <figcaption className="team-key">
        {course.names.map((name, n) => (
          <span key={name}>
            <i style={{ background: hue(n) }} aria-hidden="true" /> {name} {iec(last.parts[n] ?? 0)}
          </span>
        ))}
      </figcaption>
    </figure>
  );
}

const hue = (n: number) => `var(--hue-${Math.min(HUES, n + 1)})`;

function Chart({ drawn, says }: { drawn: Drawn; says: string }) {
  const limit = drawn.limit.map(([x, y]) => `${x},${y}`).join(' ');
  return (
    <svg viewBox="0 0 100 100" preserveAspectRatio="none" role="img" aria-label={`${says}; the table says the same`}>
      {drawn.areas.map((area, n) => (
        <path key={area.name} d={pathOf(area)} fill={hue(n)} />
      ))}
      <path className="rest" d={pathOf(drawn.rest)} />
      {drawn.drawnUntil !== null && <rect className="drawn" x={0} y={0} width={drawn.drawnUntil} height={100} />}
      {limit && <polyline className="limit" points={limit} />}
    </svg>
  );
}

function Days({ course }: { course: Course }) {
  return (
    <Scroll label="What it held day by day" className="days-table">
      <table className="rows">
        <thead>
          <tr>
            <th scope="col">Day</th>
            <th scope="col" className="num">
              Stored
            </th>
            <th scope="col" className="num">
              About to go
            </th>
            {course.names.map((name) => (
              <th key={name} scope="col" className="num">
                {name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {[...course.days].reverse().map((one) => (
            <tr key={one.day}>
              <th scope="row" className="nowrap">
                {plainDay(one.day)} {one.drawn && <span className="quiet">drawn</span>}
              </th>
              <td className="num">
                <Bytes count={one.stored_bytes} />
              </td>
              <td className="num">
                <Bytes count={one.going_bytes} />
              </td>
              {one.parts.map((bytes, n) => (
                <td key={course.names[n]} className="num">
                  <Bytes count={bytes} />
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </Scroll>
  );
}
