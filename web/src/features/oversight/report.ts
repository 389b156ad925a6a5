/** Words of the month on paper. */
import type { Schemas } from '../../api/client';

export type Report = Schemas['Report'];

/** How much of what was promised was kept; in words where nothing was. */
export const percent = (share: Schemas['Share']): string => (share.percent === null ? 'nothing was due' : `${share.percent} %`);

const MOST_MONTHS = 37;

/** Months to choose from (`2026-11`), the newest first: three years back from `now`, and `shown` wherever it lies. */
export function monthsUpTo(now: string, shown: string): string[] {
  const [year = 1970, month = 1] = now.split('-').map(Number);
  const months = Array.from({ length: MOST_MONTHS }, (_, back) => new Date(Date.UTC(year, month - 1 - back, 1)).toISOString().slice(0, 7));
  return months.includes(shown) ? months : [...months, shown].sort().reverse();
}
