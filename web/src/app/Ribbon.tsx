/** The last fourteen nights, tonight and tomorrow. Height is the number of devices. A night is chosen by click or arrow keys. */
import { useRef, type KeyboardEvent } from 'react';
import { useLocation, useNavigate, useSearchParams } from 'react-router';

import type { Schemas } from '../api/client';
import { useRibbon } from '../features/oversight/queries';
import { grouped, plainDay, shortWeekday } from '../ui/format';

type Night = Schemas['Night'];
const HEIGHT = 50;

function words(night: Night): string {
  const parts = [`${plainDay(night.night)}: ${grouped(night.came)} succeeded`];
  if (night.came_late) parts.push(`${grouped(night.came_late)} succeeded late`);
  parts.push(`${grouped(night.missing)} did not`);
  if (night.under_way) parts.push(`${grouped(night.under_way)} under way`);
  return parts.join(', ');
}

export function Ribbon() {
  const ribbon = useRibbon();
  const navigate = useNavigate();
  const [params] = useSearchParams();
  const bar = useRef<HTMLDivElement>(null);
  const chosen = params.get('night');
  const { pathname } = useLocation();
  const shown = pathname === '/night' ? (chosen ?? ribbon.data?.tonight) : chosen;
  if (!ribbon.data) return <header className="ribbon" aria-busy="true" />;
  const { nights, devices, tonight_planned: tonight, tomorrow_planned: tomorrow } = ribbon.data;
  const px = (count: number) => (devices ? Math.max(count ? 3 : 0, (count / devices) * HEIGHT) : 0);
  const choose = (night: string) =>
    void navigate(pathname === '/night' ? `/night?night=${night}` : chosen === night ? '/history' : `/history?night=${night}`);
  const onKey = (event: KeyboardEvent) => {
    if (!bar.current) return;
    const buttons = [...bar.current.querySelectorAll<HTMLButtonElement>('button.night')].filter((button) => button.offsetParent !== null);
    const at = buttons.indexOf(document.activeElement as HTMLButtonElement);
    const to = { ArrowLeft: at - 1, ArrowRight: at + 1, Home: 0, End: buttons.length - 1 }[event.key];
    if (to === undefined) return;
    buttons[to]?.focus();
    event.preventDefault();
  };
  const current = shown ?? nights.at(-1)?.night;
  return (
    <header className="ribbon">
      <div className="bars" ref={bar} role="toolbar" tabIndex={-1} aria-label="Nights: what succeeded and what did not" onKeyDown={onKey}>
        {nights.map((night, n) => {
          const weekend = ['Sa', 'Su'].includes(shortWeekday(night.night));
          const classes = ['night', weekend && 'weekend', night.night === shown && 'chosen', n < 7 && 'early'].filter(Boolean).join(' ');
          return (
            <button
              type="button"
              key={night.night}
              className={classes}
              aria-pressed={night.night === shown}
              aria-label={`${shortWeekday(night.night)} ${Number(night.night.slice(8))}, ${words(night)}`}
              title={words(night)}
              tabIndex={night.night === current ? 0 : -1}
              onClick={() => choose(night.night)}
            >
              <span className="bar">
                {night.missing > 0 && <i className="missing" style={{ height: px(night.missing) }} />}
                {night.under_way > 0 && <i className="planned" style={{ height: px(night.under_way) }} />}
                {night.came_late > 0 && <i className="came-late" style={{ height: px(night.came_late) }} />}
                {night.came > 0 && <i className="came" style={{ height: px(night.came) }} />}
              </span>
              <span className="day">
                {shortWeekday(night.night)} {Number(night.night.slice(8))}
              </span>
            </button>
          );
        })}
        <i className="now" />
        {(
          [
            [ribbon.data.tonight, 'tonight', tonight],
            [ribbon.data.tomorrow, 'tomorrow', tomorrow],
          ] as const
        ).map(([night, word, due]) => (
          <button
            type="button"
            key={night}
            className={night === shown ? 'night chosen' : 'night'}
            aria-pressed={night === shown}
            aria-label={`${word} ${due} due, ${plainDay(night)}`}
            title={`${word}, ${plainDay(night)}: ${due} due`}
            tabIndex={night === current ? 0 : -1}
            onClick={() => void navigate(`/night?night=${night}`)}
          >
            <span className="bar">{due > 0 && <i className="planned" style={{ height: px(due) }} />}</span>
            <span className="day">
              {word === 'tonight' ? (
                <>
                  <b>{word}</b> {due} due
                </>
              ) : (
                <>
                  {word} {due}
                </>
              )}
            </span>
          </button>
        ))}
      </div>
      <NightsTable nights={nights} tonight={tonight} tomorrow={tomorrow} />
    </header>
  );
}

/** The same numbers for whoever listens instead of looking. */
function NightsTable({ nights, tonight, tomorrow }: { nights: Night[]; tonight: number; tomorrow: number }) {
  return (
    <div className="visually-hidden">
      <table>
        <caption>The last fourteen nights, tonight and tomorrow</caption>
        <thead>
          <tr>
            <th scope="col">Night</th>
            <th scope="col">Succeeded</th>
            <th scope="col">Succeeded late</th>
            <th scope="col">Did not</th>
            <th scope="col">Under way or due</th>
          </tr>
        </thead>
        <tbody>
          {nights.map((night) => (
            <tr key={night.night}>
              <th scope="row">{plainDay(night.night)}</th>
              <td>{night.came}</td>
              <td>{night.came_late}</td>
              <td>{night.missing}</td>
              <td>{night.under_way}</td>
            </tr>
          ))}
          <tr>
            <th scope="row">tonight</th>
            <td colSpan={3} />
            <td>{tonight}</td>
          </tr>
          <tr>
            <th scope="row">tomorrow</th>
            <td colSpan={3} />
            <td>{tomorrow}</td>
          </tr>
        </tbody>
      </table>
    </div>
  );
}
