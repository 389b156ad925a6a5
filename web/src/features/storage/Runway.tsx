/** How long until something is full: a line with its range on an axis that gives near days more room, and the same in words. */
import { RUNWAY_MARKS, onRunway, runwayBar, type Runway as Told } from './quotas';

export function Runway({ told, name }: { told: Told; name: string }) {
  const bar = runwayBar(told);
  return (
    <div className={told.soon ? 'runway soon' : 'runway'} title={told.says}>
      {bar && (
        <svg viewBox="0 0 200 14" aria-hidden="true" focusable="false">
          {RUNWAY_MARKS.map(([days, label]) => (
            <line key={label} className="mark" x1={onRunway(days) * 2} x2={onRunway(days) * 2} y1={1} y2={13} />
          ))}
          <rect className="range" x={bar.from * 2} y={4} width={Math.max(2, (bar.to - bar.from) * 2)} height={6} />
          <line className="line" x1={0} x2={bar.end * 2} y1={7} y2={7} />
          <line className="end" x1={bar.end * 2} x2={bar.end * 2} y1={1} y2={13} />
        </svg>
      )}
      <div className="says">
        <span className="visually-hidden">{name}: </span>
        {told.short}
      </div>
    </div>
  );
}

/** What the marks of all these lines mean, once. */
export const RunwayKey = () => (
  <span className="runway-key" aria-hidden="true">
    {RUNWAY_MARKS.map(([days, label]) => (
      <span key={label} style={{ left: `${onRunway(days)}%` }}>
        {label}
      </span>
    ))}
  </span>
);
