/** Numbers, sizes and times as people read them. Sizes in IEC units; times in the office's zone. */

import { formatter } from './formatter';

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

const GROUPS = new Intl.NumberFormat('en-GB');

export const grouped = (count: number): string => GROUPS.format(count).replaceAll(',', '\u202f');

export const clock = formatter('en-GB', { hour: '2-digit', minute: '2-digit' });

export const day = formatter('en-GB', { weekday: 'short', day: 'numeric', month: 'short' });

const EXACT = formatter('sv-SE', { dateStyle: 'short', timeStyle: 'medium' });

export const exact = (instant: string | Date, zone: string): string => `${EXACT(instant, zone)} (${zone})`;

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
export const plainDay = (date: string): string => PLAIN_DAY(`${date}T00:00:00Z`, 'UTC');

const PLAIN_DAY = formatter('en-GB', { weekday: 'short', day: 'numeric', month: 'short', year: 'numeric' });

const WEEKDAY = formatter('en-GB', { weekday: 'short' });

export const shortWeekday = (date: string): string => WEEKDAY(`${date}T00:00:00Z`, 'UTC').slice(0, 2);

const MONTH = formatter('en-GB', { month: 'short', year: 'numeric' });

/** `2026-11` → `Nov 2026`. */
export const monthName = (month: string): string => MONTH(`${month}-01T00:00:00Z`, 'UTC');

const WALL = formatter('sv-SE', { dateStyle: 'short', timeStyle: 'short' });

/** A moment as a date-and-time field wants it, in a zone: `2026-11-24T18:05`. */
export const wallClock = (instant: string, zone: string): string => WALL(instant, zone).replace(' ', 'T');
