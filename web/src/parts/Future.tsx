/** What there will be to go back to, month by month, if the plan goes on as it does: each line is a day, its dots the moments of that day by age. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';

import { client, problemOf, told, type Schemas } from '../api/client';
import { key } from '../api/keys';
import { AGES, placeOfAge, WIDTH } from '../ui/ages';
import { clock, counted, day, monthName, plainDay } from '../ui/format';
import { useZone } from '../ui/Office';
import { Scroll } from '../ui/Scroll';
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
        {open && <Endings id={id} />}
      </details>
    </section>
  );
}

function Months({ id }: { id: string }) {
  const answer = useQuery({
    queryKey: key('backups', 'future', id),
    queryFn: () => told(client.GET('/api/devices/{id}/future', { params: { path: { id } } })),
  });
  if (answer.isPending) return <Loading what="what there will be" />;
  if (answer.isLoadingError) return <Failed problem={problemOf(answer.error)} onRetry={() => void answer.refetch()} />;
  return (
    <div className="sheet pad fates">
      {answer.data.map((day) => (
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

type Ending = Schemas['Ending'];

/** Day by day for a year: on which something begins to leave. A month a row, a day a cell; a day that is chosen says what. */
function Endings({ id }: { id: string }) {
  const asked = useQuery({
    queryKey: key('backups', 'endings', id),
    queryFn: () => told(client.GET('/api/devices/{id}/endings', { params: { path: { id } } })),
  });
  const [chosen, setChosen] = useState<string | null>(null);
  if (asked.isPending) return <Loading what="its calendar" />;
  if (asked.isLoadingError) return <Failed problem={problemOf(asked.error)} onRetry={() => void asked.refetch()} />;
  const days = new Map(asked.data.map((one) => [one.day, one]));
  const months = [...new Set(asked.data.map((one) => one.day.slice(0, 7)))];
  if (months.length === 0) return <p className="hint">Nothing begins to leave within a year.</p>;
  return (
    <div className="sheet pad mt-2">
      <h3>Days on which something begins to leave</h3>
      <Scroll label="Days on which something begins to leave">
        <table className="endings">
          <thead>
            <tr>
              <td />
              {DAYS.map((day) => (
                <th key={day} scope="col" className="quiet">
                  {Number(day)}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {months.map((month) => (
              <tr key={month}>
                <th scope="row">{monthName(month)}</th>
                {DAYS.map((day) => (
                  <Cell key={day} day={days.get(`${month}-${day}`)} chosen={chosen} onChoose={setChosen} />
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </Scroll>
      <Said ending={(chosen && days.get(chosen)) || asked.data[0]} />
    </div>
  );
}

const DAYS = Array.from({ length: 31 }, (_, n) => String(n + 1).padStart(2, '0'));

interface CellProps {
  day: Ending | undefined;
  chosen: string | null;
  onChoose: (day: string) => void;
}

function Cell({ day, chosen, onChoose }: CellProps) {
  if (!day) return <td />;
  const says = `${plainDay(day.day)}: ${counted(day.moments.length, 'moment begins', 'moments begin')} to leave`;
  return (
    <td>
      <button type="button" aria-label={says} title={says} aria-pressed={chosen === day.day} onClick={() => onChoose(day.day)}>
        {day.moments.length}
      </button>
    </td>
  );
}

function Said({ ending }: { ending: Ending | undefined }) {
  const zone = useZone();
  if (!ending) return null;
  return (
    <p className="mb-0 mt-2" role="status">
      <strong>{plainDay(ending.day)}</strong>:{' '}
      {ending.moments
        .slice(0, 8)
        .map((at) => `${day(at, zone)} ${clock(at, zone)}`)
        .join(', ')}
      {ending.moments.length > 8 && ` and ${ending.moments.length - 8} more`}
      {ending.moments.length === 1 ? ' begins' : ' begin'} to leave; {counted(ending.left, 'moment is', 'moments are')} left.
    </p>
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
