/** Arithmetic and wording of the chart of a night. */
import type { Schemas } from '../../api/client';
import { counted } from '../../ui/format';

export type Chart = Schemas['NightChart'];
export type NightRow = Schemas['NightRow'];

const CAME = ['complete', 'partial'];

/** One sentence: before the night what is planned, afterwards what came. */
export function nightSentence(chart: Chart, now: number): string {
  const lined = chart.rows.filter((row) => row.planned_start);
  const came = chart.rows.filter((row) => CAME.includes(row.state)).length;
  const under = chart.rows.filter((row) => ['waiting', 'running'].includes(row.state)).length;
  const failed = chart.rows.filter((row) => row.state && !CAME.includes(row.state) && !['waiting', 'running'].includes(row.state)).length;
  const parts = [];
  if (lined.length) parts.push(`${counted(lined.length, 'run')} lined up`);
  if (came) parts.push(`${came} came`);
  if (under) parts.push(`${under} under way`);
  if (failed) parts.push(`${failed} did not`);
  if (chart.does_not_fit) parts.push(`${chart.does_not_fit} ${new Date(chart.closes).getTime() > now ? 'will not fit' : 'did not fit'} into the window`);
  return parts.length ? `${parts.join(', ')}.` : '';
}

export interface Bar {
  row: NightRow;
  /** Shares of the chart's width. */
  planned: [number, number] | null;
  real: [number, number] | null;
  closes: number | null;
}

/** Where each row's bars lie between the opening and the closing of the chart. */
export function bars(chart: Chart, now: number): { bars: Bar[]; now: number | null; ticks: { at: number; iso: string }[] } {
  const first = new Date(chart.opens).getTime();
  const last = Math.max(new Date(chart.closes).getTime(), first + 1800_000);
  const share = (instant: string | number) => Math.min(1, Math.max(0, (new Date(instant).getTime() - first) / (last - first)));
  const found = chart.rows.map((row) => ({
    row,
    planned: row.planned_start && row.planned_end ? ([share(row.planned_start), share(row.planned_end)] as [number, number]) : null,
    real: row.started_at ? ([share(row.started_at), share(row.finished_at ?? now)] as [number, number]) : null,
    closes: row.closes_at ? share(row.closes_at) : null,
  }));
  const hour = 3600_000;
  const step = (last - first) / hour > 14 ? 3 * hour : (last - first) / hour > 5 ? hour : hour / 2;
  const ticks = [];
  for (let at = Math.ceil(first / step) * step; at < last; at += step) ticks.push({ at: share(at), iso: new Date(at).toISOString() });
  return { bars: found, now: now > first && now < last ? share(now) : null, ticks };
}

/** How many lined-up runs go on at the same time, as steps over the width of the chart. */
export function busy(chart: Chart): { steps: { from: number; to: number; count: number }[]; most: number } {
  const edges: [number, number][] = [];
  for (const { planned } of bars(chart, 0).bars) {
    if (!planned) continue;
    edges.push([planned[0], 1], [Math.max(planned[1], planned[0] + 0.002), -1]);
  }
  edges.sort((one, two) => one[0] - two[0] || one[1] - two[1]);
  const steps = [];
  let count = 0;
  let from = 0;
  let most = 0;
  for (const [at, step] of edges) {
    if (count > 0 && at > from) steps.push({ from, to: at, count });
    from = at;
    count += step;
    most = Math.max(most, count);
  }
  return { steps, most };
}
