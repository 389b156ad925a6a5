/** Arithmetic and wording of the chart of a night. */
import type { Schemas } from '../../api/client';
import { counted, grouped } from '../../ui/format';

export type Sums = Schemas['NightSums'];
export type NightRow = Schemas['NightRow'];
export type Shows = 'did_not' | 'under_way' | 'to_come' | 'succeeded';

export const SHOWS: { value: Shows; label: string }[] = [
  { value: 'did_not', label: 'did not succeed, or will not fit' },
  { value: 'under_way', label: 'under way' },
  { value: 'to_come', label: 'still to come' },
  { value: 'succeeded', label: 'succeeded' },
];

/** One sentence of the whole night: before it what is planned, afterwards what came of it. */
export function nightSentence(sums: Sums, now: number): string {
  const parts = [];
  if (sums.lined_up) parts.push(`${counted(sums.lined_up, 'run')} lined up`);
  if (sums.succeeded) parts.push(`${grouped(sums.succeeded)} succeeded`);
  if (sums.under_way) parts.push(`${grouped(sums.under_way)} under way`);
  if (sums.did_not) parts.push(`${grouped(sums.did_not)} did not`);
  if (sums.does_not_fit)
    parts.push(`${grouped(sums.does_not_fit)} ${new Date(sums.closes).getTime() > now ? 'will not fit' : 'did not fit'} into the window`);
  return parts.length ? `${parts.join(', ')}.` : '';
}

export interface Bar {
  row: NightRow;
  /** Shares of the chart's width. */
  planned: [number, number] | null;
  real: [number, number] | null;
  closes: number | null;
}

export interface Span {
  opens: string;
  closes: string;
}

const HOUR = 3600_000;

/** Where each row's bars lie between the opening and the closing of the chart. */
export function bars(span: Span, rows: NightRow[], now: number): { bars: Bar[]; now: number | null; ticks: { at: number; iso: string }[] } {
  const first = new Date(span.opens).getTime();
  const last = Math.max(new Date(span.closes).getTime(), first + HOUR / 2);
  const share = (instant: string | number) => Math.min(1, Math.max(0, (new Date(instant).getTime() - first) / (last - first)));
  const spans = rows.map((row) => ({
    row,
    planned: row.planned_start && row.planned_end ? ([share(row.planned_start), share(row.planned_end)] as [number, number]) : null,
    real: row.started_at ? ([share(row.started_at), share(row.finished_at ?? now)] as [number, number]) : null,
    closes: row.closes_at ? share(row.closes_at) : null,
  }));
  const step = (last - first) / HOUR > 14 ? 3 * HOUR : (last - first) / HOUR > 5 ? HOUR : HOUR / 2;
  const ticks = [];
  for (let at = Math.ceil(first / step) * step; at < last; at += step) ticks.push({ at: share(at), iso: new Date(at).toISOString() });
  return { bars: spans, now: now > first && now < last ? share(now) : null, ticks };
}

/** Slices of equal height beside each other, joined: what a thumbnail draws. */
export function steps(busy: readonly number[]): { from: number; to: number; count: number }[] {
  const columns: { from: number; to: number; count: number }[] = [];
  busy.forEach((count, n) => {
    const last = columns.at(-1);
    if (last && last.count === count) last.to = (n + 1) / busy.length;
    else columns.push({ from: n / busy.length, to: (n + 1) / busy.length, count });
  });
  return columns.filter((step) => step.count > 0);
}
