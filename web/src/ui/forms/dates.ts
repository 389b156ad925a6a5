/** Dates and times as people type them, and as the office writes them, whatever the browser's own language is. */

import { formatter } from '../formatter';

const DAY = formatter('sv-SE', { dateStyle: 'short' });
const MONTHS = ['jan', 'feb', 'mar', 'apr', 'may', 'jun', 'jul', 'aug', 'sep', 'oct', 'nov', 'dec'];
const WEEKDAYS = ['Sun', 'Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat'];

const two = (number: number): string => String(number).padStart(2, '0');

/** `2026-11-24` when there is such a day, else null. */
function isoDay(year: number, month: number, day: number): string | null {
  const date = new Date(Date.UTC(year, month - 1, day));
  return year >= 1970 && year <= 9999 && date.getUTCMonth() === month - 1 && date.getUTCDate() === day
    ? date.toISOString().slice(0, 10)
    : null;
}

/** The day that a text says (`2026-11-24`), or null. Day before month; without a year the one that is next from `today` on. */
export function readDay(text: string, today: string): string | null {
  const plain = text
    .trim()
    .toLowerCase()
    .replace(/^(mon|tue|wed|thu|fri|sat|sun)[a-z]*\.?,?\s+/, '');
  const iso = /^(\d{4})-(\d{1,2})-(\d{1,2})$/.exec(plain);
  if (iso) return isoDay(Number(iso[1]), Number(iso[2]), Number(iso[3]));
  const parts = /^(\d{1,2})(?:st|nd|rd|th)?[\s./-]+([a-z]+|\d{1,2})\.?(?:[\s./-]+(\d{4}|\d{2}))?[.]?$/.exec(plain);
  if (!parts) return null;
  const word = parts[2] ?? '';
  const month = /^\d/.test(word) ? Number(word) : word.length < 3 ? 0 : MONTHS.indexOf(word.slice(0, 3)) + 1;
  const day = Number(parts[1]);
  if (parts[3]) return isoDay(Number(parts[3]) + (parts[3].length === 2 ? 2000 : 0), month, day);
  const year = Number(today.slice(0, 4));
  const near = isoDay(year, month, day);
  return near !== null && near < today ? isoDay(year + 1, month, day) : near;
}

/** `Tue 24 Nov 2026`. */
export function writtenDay(day: string): string {
  const date = new Date(`${day}T00:00:00Z`);
  const month = MONTHS[date.getUTCMonth()] ?? '';
  return `${WEEKDAYS[date.getUTCDay()] ?? ''} ${date.getUTCDate()} ${month.charAt(0).toUpperCase()}${month.slice(1)} ${date.getUTCFullYear()}`;
}

/** The time that a text says as `22:05`, or null: `22`, `22.05`, `2205`, `10 pm`. */
export function readTime(text: string): string | null {
  const parts = /^(\d{1,2})(?:[:.h]?(\d{2}))?(?::\d{2})?\s*(am|pm|h)?$/.exec(
    text
      .trim()
      .toLowerCase()
      .replace(/\s+(?=am|pm|h$)/, ''),
  );
  if (!parts) return null;
  const half = parts[3] === 'am' || parts[3] === 'pm' ? parts[3] : null;
  const said = Number(parts[1]);
  if (half && (said < 1 || said > 12)) return null;
  const hours = half ? (said % 12) + (half === 'pm' ? 12 : 0) : said;
  const minutes = Number(parts[2] ?? 0);
  return hours < 24 && minutes < 60 ? `${two(hours)}:${two(minutes)}` : null;
}

/** `2026-11-24` in a zone, of an instant. */
export const dayIn = (instant: number | string | Date, zone: string): string => DAY(instant, zone);

/** A calendar day so many days on. */
export const daysOn = (day: string, days: number): string =>
  new Date(Date.parse(`${day}T00:00:00Z`) + days * 86_400_000).toISOString().slice(0, 10);

/** The first Monday after a day. */
export const nextMonday = (day: string): string => daysOn(day, (8 - new Date(`${day}T00:00:00Z`).getUTCDay()) % 7 || 7);
