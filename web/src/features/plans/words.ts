/** Wording and arithmetic of plans. */
import type { Problem, Schemas } from '../../api/client';
import { counted } from '../../ui/format';

export const WEEKDAYS = ['Mo', 'Tu', 'We', 'Th', 'Fr', 'Sa', 'Su'];

/** As it is edited; what was shown to leave is told when it is saved. */
export type Draft = Omit<Schemas['SavePlanRequest'], 'seen' | 'word'>;
export type Pattern = Draft['pattern'];

export type Target = NonNullable<Draft['targets']>[number];

/** As many stores as one plan may name. */
export const MOST_TARGETS = 8;

export const newTarget = (store: string | null): Target => ({
  store,
  delay_minutes: 0,
  not_metered: false,
  copies_from: null,
  copies_until: null,
  limit_bytes_per_second: null,
  falls_over: false,
});

/** The list with one entry a place earlier or later; as it was where there is no such place. */
export function moved<T>(list: readonly T[], n: number, by: -1 | 1): T[] {
  const [one, other] = [list[n], list[n + by]];
  if (one === undefined || other === undefined) return [...list];
  return list.map((entry, at) => (at === n ? other : at === n + by ? one : entry));
}

/** Where backups go, in a few words: `Server room`, `Server room and Cloud`, `Server room and 2 more`. */
export function targetsWords(targets: readonly { store_name: string }[]): string {
  const [first, second] = targets;
  if (!first) return 'nowhere';
  if (!second) return first.store_name;
  return targets.length === 2 ? `${first.store_name} and ${second.store_name}` : `${first.store_name} and ${targets.length - 1} more`;
}

export interface Part {
  draft: Draft;
  set: <K extends keyof Draft>(name: K, value: Draft[K]) => void;
  problem?: Problem | null;
}

/** The list with the entry put in, or taken out when it is there. */
export const toggled = <T>(list: T[], entry: T): T[] => (list.includes(entry) ? list.filter((one) => one !== entry) : [...list, entry]);

export const DAY_NAMES = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'];

export const ORDINALS: [number, string][] = [
  [1, 'first'],
  [2, 'second'],
  [3, 'third'],
  [4, 'fourth'],
  [-1, 'last'],
];

/** What a change of clocks does to a run, in words. */
export const CLOCKS: Record<string, string> = {
  moved: 'clocks go forward: this time does not exist that day, it comes later by the clock',
  twice: 'clocks go back: this time comes twice, it counts the first time',
  near: 'clocks change in this night',
};

/** What a draft says of keeping. */
export type Keeping = Pick<
  Draft,
  | 'keep_last'
  | 'keep_hourly'
  | 'keep_daily'
  | 'keep_weekly'
  | 'keep_monthly'
  | 'keep_yearly'
  | 'keep_within'
  | 'keep_within_unit'
  | 'keep_minimum_age_seconds'
  | 'keep_greatest_age'
  | 'keep_greatest_age_unit'
>;

export interface KeepingPart {
  draft: Keeping;
  set: <K extends keyof Keeping>(name: K, value: Keeping[K]) => void;
}

type Kept = Pick<Keeping, 'keep_last' | 'keep_daily' | 'keep_weekly' | 'keep_monthly'> & Partial<Keeping>;

/** `all of 30 days, the last 3, 7 days, 4 weeks`. */
export function keepsSentence(plan: Kept): string {
  const parts = [
    plan.keep_within && `all of ${periodWords(plan.keep_within, plan.keep_within_unit ?? 'days')}`,
    plan.keep_last && `the last ${plan.keep_last}`,
    plan.keep_hourly && counted(plan.keep_hourly, 'hour'),
    plan.keep_daily && counted(plan.keep_daily, 'day'),
    plan.keep_weekly && counted(plan.keep_weekly, 'week'),
    plan.keep_monthly && counted(plan.keep_monthly, 'month'),
    plan.keep_yearly && counted(plan.keep_yearly, 'year'),
  ].filter(Boolean);
  return parts.length ? parts.join(', ') : 'nothing';
}

/** `30 days`, `1 month`. */
export const periodWords = (count: number, unit: string): string => counted(count, unit.replace(/s$/, ''), unit);

export const hhmm = (time: string): string => time.slice(0, 5);

/** The months of the last year up to today, oldest first, each with the days of it on which something is kept. */
export function keptByMonth(kept: string[], today: string): { month: string; days: number[] }[] {
  const [year = 0, month = 1] = today.split('-').map(Number);
  return Array.from({ length: 13 }, (_, back) => {
    const first = new Date(Date.UTC(year, month - 13 + back, 1)).toISOString().slice(0, 7);
    return { month: first, days: kept.filter((day) => day.startsWith(first)).map((day) => Number(day.slice(8))) };
  });
}

export function emptyDraft(kinds: string[], store: string | null): Draft {
  return {
    name: '',
    reach: 'everything',
    kinds,
    first_kinds: [],
    larger_than_bytes: null,
    exclusions: [],
    pattern: { shape: 'every_night', days: 2, weekdays: [], nth: 1, hours: 4, from_hour: 8, to_hour: 18, rule: '' },
    starts_on: null,
    ends_on: null,
    exceptions: [],
    skips_closed_days: false,
    catch_up: false,
    needs_power: false,
    needs_office_wireless: false,
    needs_battery_percent: 0,
    not_in_use_minutes: 0,
    leaves_out_closed_days: false,
    leaves_out_away_days: false,
    starts_at: '22:00',
    window_closes: '06:00',
    targets: store ? [newTarget(store)] : [],
    teams: [],
    promise_seconds: 2 * 86_400,
    own_cloud_seconds: null,
    keep_last: 3,
    keep_daily: 7,
    keep_weekly: 4,
    keep_monthly: 12,
    keep_hourly: 0,
    keep_yearly: 0,
    keep_within: null,
    keep_within_unit: 'days',
    keep_minimum_age_seconds: null,
    keep_greatest_age: null,
    keep_greatest_age_unit: 'days',
    devices: [],
  };
}

export type Exception = Schemas['Exception'];
export type ExceptionRule = Schemas['KeepingRuleRequest'];
type Span = Schemas['PeriodRequest'];

/** The rule of an exception as the same form edits it. */
export const keepingOf = (rule: Exception['rule']): Keeping => ({
  keep_last: rule.last,
  keep_hourly: rule.hourly,
  keep_daily: rule.daily,
  keep_weekly: rule.weekly,
  keep_monthly: rule.monthly,
  keep_yearly: rule.yearly,
  keep_within: rule.within?.count ?? null,
  keep_within_unit: rule.within?.unit ?? 'days',
  keep_minimum_age_seconds: rule.minimum_age_seconds,
  keep_greatest_age: rule.greatest_age?.count ?? null,
  keep_greatest_age_unit: rule.greatest_age?.unit ?? 'days',
});

const span = (count: number | null | undefined, unit: Span['unit']): Span | null => (count ? { count, unit } : null);

export const ruleOf = (keeping: Keeping, askAfterYears: number | null): ExceptionRule => ({
  last: keeping.keep_last,
  hourly: keeping.keep_hourly,
  daily: keeping.keep_daily,
  weekly: keeping.keep_weekly,
  monthly: keeping.keep_monthly,
  yearly: keeping.keep_yearly,
  within: span(keeping.keep_within, keeping.keep_within_unit),
  minimum_age_seconds: keeping.keep_minimum_age_seconds ?? 7 * 86_400,
  greatest_age: span(keeping.keep_greatest_age, keeping.keep_greatest_age_unit),
  ask_after: span(askAfterYears, 'years'),
});

/** A draft that begins with one more exclusion; the draft itself where that says nothing, is no kind, or stands there already. */
export function withLeftOut(draft: Draft, wish: { kind: string; under: string }, kinds: readonly { code: string }[]): Draft {
  const kind = kinds.find((one) => one.code === wish.kind)?.code as Draft['exclusions'][number]['kind'] | undefined;
  const there = draft.exclusions.some((one) => one.kind === kind && one.under.toLowerCase() === wish.under.toLowerCase());
  if (!kind || !wish.under.trim() || there) return draft;
  return { ...draft, exclusions: [...draft.exclusions, { kind, under: wish.under }] };
}

/** The same entries, one of them a place earlier. */
export function earlier<Entry>(entries: readonly Entry[], at: number): Entry[] {
  const sorted = [...entries];
  const [one] = sorted.splice(at, 1);
  if (one !== undefined) sorted.splice(Math.max(0, at - 1), 0, one);
  return sorted;
}

/** As it would be without what somebody has only begun to fill in: asked about, but not saved, like that. */
export const withoutBlanks = (draft: Draft): Draft =>
  draft.exclusions.every((one) => one.under.trim()) ? draft : { ...draft, exclusions: draft.exclusions.filter((one) => one.under.trim()) };
