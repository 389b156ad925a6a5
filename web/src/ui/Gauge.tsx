import { iec } from './format';

/** How full a store is: used, and what waits to be freed, against what it may hold. */
export function Gauge({ used, waiting = 0, limit, label }: { used: number; waiting?: number; limit: number | null; label: string }) {
  const share = (bytes: number) => (limit ? Math.min(100, (bytes / limit) * 100) : 0);
  const full = limit !== null && used >= limit * 0.9;
  return (
    <div
      className={full ? 'gauge full' : 'gauge'}
      role="img"
      aria-label={limit ? `${label}: ${iec(used)} of ${iec(limit)} used` : `${label}: ${iec(used)} used, no limit set`}
    >
      <i style={{ width: `${share(used - waiting)}%` }} />
      <s style={{ left: `${share(used - waiting)}%`, width: `${share(waiting)}%` }} />
    </div>
  );
}
