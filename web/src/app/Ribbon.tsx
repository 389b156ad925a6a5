/** The last fourteen nights, tonight and tomorrow. Height is the number of devices. A night is chosen by click or arrow keys. */
import { useRef, type KeyboardEvent } from 'react';
import { useNavigate, useSearchParams } from 'react-router';

import type { Schemas } from '../api/client';
import { useRibbon } from '../features/oversight/queries';
import { plainDay, shortWeekday } from '../ui/format';

type Night = Schemas['Night'];
const HEIGHT = 50;

function words(night: Night): string {
  const parts = [`${plainDay(night.night)}: ${night.came} came`];
  if (night.came_late) parts.push(`${night.came_late} came late`);
  parts.push(`${night.missing} did not come`);
  if (night.under_way) parts.push(`${night.under_way} under way`);
  return parts.join(', ');
}

export function Ribbon() {
  const ribbon = useRibbon();
  const navigate = useNavigate();
  const [params] = useSearchParams();
  const bar = useRef<HTMLDivElement>(null);
  const chosen = params.get('night');
  if (!ribbon.data) return <header className="ribbon" aria-busy="true" />;
  const { nights, devices, tonight_planned: tonight, tomorrow_planned: tomorrow } = ribbon.data;
  const px = (count: number) => (devices ? Math.max(count ? 3 : 0, (count / devices) * HEIGHT) : 0);
  const choose = (night: string) => void navigate(chosen === night ? '/history' : `/history?night=${night}`);
  const onKey = (event: KeyboardEvent) => {
    const step = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (step === undefined || !bar.current) return;
    const buttons = [...bar.current.querySelectorAll<HTMLButtonElement>('button.night')];
    buttons[buttons.indexOf(document.activeElement as HTMLButtonElement) + step]?.focus();
    event.preventDefault();
  };
  const current = chosen ?? nights.at(-1)?.night;
  return (
    <header className="ribbon" ref={bar} role="toolbar" tabIndex={-1} aria-label="Nights: what came and what did not" onKeyDown={onKey}>
      {nights.map((night, n) => {
        const weekend = ['Sa', 'Su'].includes(shortWeekday(night.night));
        const classes = ['night', weekend && 'weekend', night.night === chosen && 'chosen', n < 7 && 'early'].filter(Boolean).join(' ');
        return (
          <button
            type="button"
            key={night.night}
            className={classes}
            aria-pressed={night.night === chosen}
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
      <button
        type="button"
        className={ribbon.data.tonight === chosen ? 'night chosen' : 'night'}
        title={`Tonight: ${tonight} devices planned`}
        tabIndex={-1}
        onClick={() => choose(ribbon.data.tonight)}
      >
        <span className="bar">{tonight > 0 && <i className="planned" style={{ height: px(tonight) }} />}</span>
        <span className="day">
          <b>tonight</b> {tonight} due
        </span>
      </button>
      <span className="night">
        <span className="bar">{tomorrow > 0 && <i className="planned" style={{ height: px(tomorrow) }} />}</span>
        <span className="day">tomorrow {tomorrow}</span>
      </span>
    </header>
  );
}
