/** Wording and arithmetic of whose bytes, how long they fit, and what may lie where. */
import type { Schemas } from '../../api/client';
import { counted, iec, plural } from '../../ui/format';

export type Runway = Schemas['Runway'];
export type Allowance = Schemas['Allowance'];
export type Occupied = Schemas['Occupied'];
export type Course = Schemas['Course'];
export type By = 'team' | 'holder' | 'device' | 'plan' | 'kind';

export const BY: readonly { value: By; label: string; one: string }[] = [
  { value: 'team', label: 'by team', one: 'Team' },
  { value: 'device', label: 'by device', one: 'Device' },
  { value: 'holder', label: 'by holder', one: 'Holder' },
  { value: 'kind', label: 'by kind', one: 'Kind' },
  { value: 'plan', label: 'by plan', one: 'Plan' },
];

const FAR_DAYS = 366;
/** Marks of the axis of runways: days, and what they are called. */
export const RUNWAY_MARKS: readonly [number, string][] = [
  [0, 'now'],
  [7, '1 wk'],
  [30, '1 mo'],
  [91, '3 mo'],
  [365, '1 yr'],
];

/** Where a number of days lies on an axis that gives near days more room, in percent. */
export const onRunway = (days: number): number => (Math.log1p(Math.min(days, FAR_DAYS) / 7) / Math.log1p(FAR_DAYS / 7)) * 100;

/** The line and the range of a runway, in percent of the axis; null where nothing can be drawn. */
export function runwayBar(told: Pick<Runway, 'days' | 'earliest' | 'latest' | 'measured_days' | 'pace_bytes'>) {
  if (told.pace_bytes === null && told.days === null) return null;
  const end = told.days ?? FAR_DAYS;
  return { end: onRunway(end), from: onRunway(told.earliest ?? FAR_DAYS), to: onRunway(told.latest ?? FAR_DAYS) };
}

type Row = { name: string; runway: Pick<Runway, 'days' | 'earliest' | 'soon' | 'measured_days'> };

/** What the page begins with: which store is full first, and how it is with the others. */
export function storageTitle(stores: readonly Row[]): string {
  const first = fullFirst(stores);
  const others = stores.filter((one) => one.runway.soon && one !== first);
  if (!first) return 'Storage';
  const { days } = first.runway;
  const says =
    days === null
      ? `may be full in ${counted(first.runway.earliest ?? 0, 'day')}`
      : days === 0
        ? 'is full'
        : `is full in ${counted(days, 'day')}`;
  return `${first.name} ${says}${others.length ? `, ${counted(others.length, 'other store')} soon as well` : ''}`;
}

/** The store that is full first, of those that are soon. */
export const fullFirst = <Store extends Row>(stores: readonly Store[]): Store | undefined =>
  stores
    .filter((one) => one.runway.soon)
    .sort((one, two) => (one.runway.days ?? one.runway.earliest ?? 0) - (two.runway.days ?? two.runway.earliest ?? 0))[0];

export const largest = <Store extends { stored_bytes: number }>(stores: readonly Store[]): Store | undefined =>
  [...stores].sort((one, two) => two.stored_bytes - one.stored_bytes)[0];

/** How much of what was on the devices needs not lie there, in percent. */
export function savedPercent({ fair_bytes, logical_bytes }: { fair_bytes: number; logical_bytes: number }): number | null {
  return logical_bytes > fair_bytes && logical_bytes > 0 ? Math.round((1 - fair_bytes / logical_bytes) * 100) : null;
}

/** What stands beside an allowance, in words. */
export function standingWords(one: Allowance, ageOf: (at: string) => string): string {
  if (one.standing === 'full') return 'nothing more is taken in';
  const over = one.soft_bytes === null ? 0 : one.soft_held - one.soft_bytes;
  if (over <= 0) return 'within';
  const since = one.over_since ? `, ${ageOf(one.over_since)}` : '';
  return `${iec(over)} over${since}${one.standing === 'overdue' ? '' : `; needs a person after ${counted(one.grace_days, 'day')}`}`;
}

export const COUNTS: readonly { value: Allowance['soft_counts']; label: string }[] = [
  { value: 'needed', label: 'all that it needs, shared or not' },
  { value: 'fair', label: 'its fair share' },
  { value: 'alone', label: 'what it alone needs' },
];

export interface Area {
  name: string;
  /** Points of the upper edge from left to right, and of the lower one, in percent: x from the left, y from the top. */
  upper: [number, number][];
  lower: [number, number][];
}

export interface Drawn {
  areas: Area[];
  rest: Area;
  limit: [number, number][];
  /** Where the part that was only drawn ends, in percent; null when all was measured. */
  drawnUntil: number | null;
  most: number;
}

/** Areas one on another: each part, then what is in none of them; without what is about to go by itself. */
export function stacked(course: Course): Drawn | null {
  const { days, names } = course;
  const [first, last] = [days[0], days.at(-1)];
  if (!first || !last || first === last) return null;
  const at = (day: string) => Date.parse(`${day}T00:00:00Z`);
  const x = (day: string) => ((at(day) - at(first.day)) / (at(last.day) - at(first.day))) * 100;
  const held = (one: Course['days'][number] | undefined) => (one ? one.stored_bytes - one.going_bytes : 0);
  const highest = Math.max(...days.map(held), 1);
  const limits = days.map((one) => one.limit_bytes).filter((one) => one !== null && one <= highest * 2);
  const most = Math.max(highest, ...(limits as number[]));
  const y = (bytes: number) => 100 - (bytes / most) * 100;
  let below = days.map(() => 0);
  const layer = (name: string, bytesOf: (n: number) => number): Area => {
    const above = below.map((under, n) => under + bytesOf(n));
    const edge = (bytes: number[]): [number, number][] => days.map((one, n) => [x(one.day), y(bytes[n] ?? 0)]);
    const area = { name, upper: edge(above), lower: edge(below) };
    below = above;
    return area;
  };
  const areas = names.map((name, part) => layer(name, (n) => days[n]?.parts[part] ?? 0));
  const rest = layer('nobody’s, and the rest', (n) => Math.max(0, held(days[n]) - (below[n] ?? 0)));
  const limit = days.flatMap((one): [number, number][] =>
    one.limit_bytes !== null && one.limit_bytes <= most ? [[x(one.day), y(one.limit_bytes)]] : [],
  );
  const drawn = days.filter((one) => one.drawn).at(-1);
  return { areas, rest, limit, drawnUntil: drawn ? x(drawn.day) : null, most };
}

export const pathOf = ({ upper, lower }: Area): string =>
  `M${[...upper, ...[...lower].reverse()].map(([x, y]) => `${x.toFixed(2)},${y.toFixed(2)}`).join('L')}Z`;

export const drawnNote = (days: readonly { drawn: boolean }[]): string => {
  const drawn = days.filter((one) => one.drawn).length;
  return drawn === 0 ? '' : `${counted(drawn, 'day')} of them ${plural(drawn, 'was', 'were')} drawn for this demonstration, not measured.`;
};
