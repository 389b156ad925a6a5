/** What there will be to go back to, month by month, if the plan goes on as it does: each line is a day, its dots the moments of that day by age. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';

import { client, problemOf, told, type Schemas } from '../api/client';
import { key } from '../api/keys';
import { AGES, placeOfAge, WIDTH } from '../ui/ages';
import { counted, plainDay } from '../ui/format';
import { Failed, Loading } from '../ui/States';

type Day = Schemas['FutureDay'];

export function Future({ id }: { id: string }) {
  const [open, setOpen] = useState(false);
  return (
    <section>
      <details onToggle={(event) => setOpen(event.currentTarget.open)}>
        <summary>
          <h2 className="d-inline">What there will be</h2> <small className="quiet">on a day of each month to come</small>
        </summary>
        {open && <Months id={id} />}
      </details>
    </section>
  );
}

function Months({ id }: { id: string }) {
  const found = useQuery({
    queryKey: key('backups', 'future', id),
    queryFn: () => told(client.GET('/api/devices/{id}/future', { params: { path: { id } } })),
  });
  if (found.isPending) return <Loading what="what there will be" />;
  if (found.isLoadingError) return <Failed problem={problemOf(found.error)} onRetry={() => void found.refetch()} />;
  return (
    <div className="sheet pad fates">
      {found.data.map((day) => (
        <Line key={day.day} day={day} />
      ))}
      <div className="fate" aria-hidden="true">
        <div className="fate-name" />
        <svg viewBox={`0 0 ${WIDTH} 14`} className="fate-axis">
          {AGES.map(([label, days]) => (
            <text key={label} x={placeOfAge(days)} y="11" textAnchor={days === 0 ? 'start' : 'middle'}>
              {label}
            </text>
          ))}
        </svg>
      </div>
      <p className="hint mb-0">● lies there now · ○ is to come; by its age on that day</p>
    </div>
  );
}

function Line({ day }: { day: Day }) {
  const on = Date.parse(`${day.day}T12:00:00Z`);
  const x = (at: string) => placeOfAge((on - Date.parse(at)) / 86_400_000);
  const said = `${plainDay(day.day)}: ${counted(day.kept.length, 'moment')} of now and ${day.planned.length} to come`;
  return (
    <div className="fate">
      <div className="fate-name">
        {plainDay(day.day)} <span className="quiet">{counted(day.kept.length + day.planned.length, 'moment')}</span>
      </div>
      <svg viewBox={`0 0 ${WIDTH} 18`} role="img" aria-label={said} className="fate-dots">
        <line x1="0" x2={WIDTH} y1="9" y2="9" />
        {day.planned.map((at) => (
          <circle key={at} className="fate-planned" cx={x(at)} cy="9" r="3.4" />
        ))}
        {day.kept.map((at) => (
          <circle key={at} className="fate-stays" cx={x(at)} cy="9" r="4" />
        ))}
      </svg>
    </div>
  );
}
