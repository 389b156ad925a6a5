/** How often the promise was kept: the last three months as a line of mornings, and a share a month. */
import { useQuery } from '@tanstack/react-query';

import { client, problemOf, told } from '../api/client';
import { key } from '../api/keys';
import { monthName, plainDay } from '../ui/format';
import { STANDINGS } from '../ui/Mark';
import { Empty, Failed } from '../ui/States';

export function PromiseKept({ device, team }: { device?: string; team?: number }) {
  const kept = useQuery({
    queryKey: key('promises', device, team),
    queryFn: () => told(client.GET('/api/promises', { params: { query: { device, team } } })),
  });
  if (kept.isLoadingError) return <Failed problem={problemOf(kept.error)} />;
  if (!kept.data) return null;
  const { days, months } = kept.data;
  return (
    <section>
      <h2>
        Promise kept <small>each morning at eight</small>
      </h2>
      <div className="sheet pad">
        {months.length === 0 && <Empty>No morning is on record yet.</Empty>}
        {days.length > 0 && (
          <div
            className="mornings"
            role="img"
            aria-label={`${days.filter((one) => one.standing === 'late' || one.standing === 'never').length} of the last ${days.length} mornings were outside of the promise`}
          >
            {days.map((one) => (
              <i
                key={one.day}
                className={`tone-${STANDINGS[one.standing]?.tone ?? 'off'} ${one.standing === 'late' || one.standing === 'never' ? 'out' : one.standing === 'on_time' || one.standing === 'due_soon' ? 'in' : 'aside'}`}
                title={`${plainDay(one.day)}: ${STANDINGS[one.standing]?.word ?? one.standing}`}
              />
            ))}
          </div>
        )}
        <dl className="facts">
          {months.slice(0, 6).map((row) => (
            <div key={row.month} className="contents">
              <dt>{monthName(row.month.slice(0, 7))}</dt>
              <dd>{row.share.percent === null ? 'nothing was due' : `${row.share.percent} % of ${row.share.owed} mornings`}</dd>
            </div>
          ))}
        </dl>
      </div>
    </section>
  );
}
