/** Numbers, sizes and times as people read them. Sizes in IEC units; times in the office's zone. */

const STEPS = ['KiB', 'MiB', 'GiB', 'TiB', 'PiB'];

/** `0 bytes`, `1.5 KiB`, `20 MiB`. */
export function iec(bytes: number): string {
  if (bytes < 0) return `−${iec(-bytes)}`;
  if (bytes < 1024) return counted(bytes, 'byte');
  let value = bytes;
  let step = -1;
  do {
    value /= 1024;
    step += 1;
  } while (value >= 999.5 && step < STEPS.length - 1);
  return `${value.toFixed(value >= 99.5 ? 0 : 1).replace(/\.0$/, '')} ${STEPS[step] ?? ''}`;
}

const PLURALS = new Intl.PluralRules('en-GB');

/** The word that goes with a number, by the rules of the language. */
export const plural = (count: number, one: string, many = `${one}s`): string => (PLURALS.select(count) === 'one' ? one : many);

/** `1 device`, `12 000 devices`, `2 boxes`. */
export const counted = (count: number, one: string, many = `${one}s`): string => `${grouped(count)} ${plural(count, one, many)}`;

export const grouped = (count: number): string => count.toLocaleString('en-GB').replaceAll(',', '\u202f');

export function clock(instant: string | Date, zone: string): string {
  return new Intl.DateTimeFormat('en-GB', { timeZone: zone, hour: '2-digit', minute: '2-digit' }).format(new Date(instant));
}

export function day(instant: string | Date, zone: string): string {
  return new Intl.DateTimeFormat('en-GB', { timeZone: zone, weekday: 'short', day: 'numeric', month: 'short' }).format(new Date(instant));
}

export function exact(instant: string | Date, zone: string): string {
  const date = new Intl.DateTimeFormat('sv-SE', { timeZone: zone, dateStyle: 'short', timeStyle: 'medium' }).format(new Date(instant));
  return `${date} (${zone})`;
}

/** `14 hours ago`, `in 3 days`. */
export function age(instant: string, now: number): string {
  const seconds = (now - new Date(instant).getTime()) / 1000;
  const words = spoken(Math.abs(seconds));
  if (Math.abs(seconds) < 45) return 'about now';
  return seconds >= 0 ? `${words} ago` : `in ${words}`;
}

export function spoken(seconds: number): string {
  if (seconds >= 2 * 86_400) return counted(Math.round(seconds / 86_400), 'day');
  if (seconds >= 2 * 3_600) return counted(Math.round(seconds / 3_600), 'hour');
  if (seconds >= 60) return counted(Math.round(seconds / 60), 'minute');
  return counted(Math.round(seconds), 'second');
}

/** A plain calendar date such as `2026-11-24`, without any zone. */
export function plainDay(date: string): string {
  return new Intl.DateTimeFormat('en-GB', { timeZone: 'UTC', weekday: 'short', day: 'numeric', month: 'short', year: 'numeric' }).format(
    new Date(`${date}T00:00:00Z`),
  );
}

export const shortWeekday = (date: string): string =>
  new Intl.DateTimeFormat('en-GB', { timeZone: 'UTC', weekday: 'short' }).format(new Date(`${date}T00:00:00Z`)).slice(0, 2);

/** `2026-11` → `Nov 2026`. */
export const monthName = (month: string): string =>
  new Intl.DateTimeFormat('en-GB', { timeZone: 'UTC', month: 'short', year: 'numeric' }).format(new Date(`${month}-01T00:00:00Z`));

/** A moment as a date-and-time field wants it, in a zone: `2026-11-24T18:05`. */
export const wallClock = (instant: string, zone: string): string =>
  new Intl.DateTimeFormat('sv-SE', { timeZone: zone, dateStyle: 'short', timeStyle: 'short' }).format(new Date(instant)).replace(' ', 'T');
