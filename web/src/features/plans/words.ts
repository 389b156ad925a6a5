/** Wording and arithmetic of plans. */
import type { Problem, Schemas } from '../../api/client';

export const WEEKDAYS = ['Mo', 'Tu', 'We', 'Th', 'Fr', 'Sa', 'Su'];

export type Draft = Schemas['SavePlanRequest'];

export interface Part {
  draft: Draft;
  set: <K extends keyof Draft>(name: K, value: Draft[K]) => void;
  problem?: Problem | null;
}

/** The list with the entry put in, or taken out when it is there. */
export const toggled = <T>(list: T[], entry: T): T[] => (list.includes(entry) ? list.filter((one) => one !== entry) : [...list, entry]);

/** Mebibytes as somebody typed them → bytes; nothing for no limit. */
export const mebibytes = (written: string): number | null => (written.trim() && Number(written) > 0 ? Math.round(Number(written) * 1024 ** 2) : null);

export function daysSentence(days: number[]): string {
  if (days.length === 7) return 'every night';
  if (days.length === 0) return 'never';
  return days.map((day) => WEEKDAYS[day]).join(', ');
}

export function keepsSentence(plan: Pick<Draft, 'keep_last' | 'keep_daily' | 'keep_weekly' | 'keep_monthly'>): string {
  const parts = [
    plan.keep_last && `the last ${plan.keep_last}`,
    plan.keep_daily && `${plan.keep_daily} days`,
    plan.keep_weekly && `${plan.keep_weekly} weeks`,
    plan.keep_monthly && `${plan.keep_monthly} months`,
  ].filter(Boolean);
  return parts.length ? parts.join(', ') : 'nothing';
}

export const hhmm = (time: string): string => time.slice(0, 5);

/** The months of the last year up to today, oldest first, each with the days of it on which something is kept. */
export function keptByMonth(kept: string[], today: Date): { month: string; days: number[] }[] {
  return Array.from({ length: 13 }, (_, back) => {
    const first = new Date(Date.UTC(today.getUTCFullYear(), today.getUTCMonth() - 12 + back, 1)).toISOString().slice(0, 7);
    return { month: first, days: kept.filter((day) => day.startsWith(first)).map((day) => Number(day.slice(8))) };
  });
}

export function emptyDraft(kinds: string[], store: string | null): Draft {
  return {
    name: '',
    reach: 'everything',
    kinds,
    larger_than_bytes: null,
    exclusions: [],
    days: [0, 1, 2, 3, 4, 5, 6],
    starts_at: '22:00',
    window_closes: '06:00',
    store,
    promise_seconds: 2 * 86_400,
    keep_last: 3,
    keep_daily: 7,
    keep_weekly: 4,
    keep_monthly: 12,
    paused: false,
    devices: [],
  };
}
