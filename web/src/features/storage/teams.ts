/** The arithmetic of a bar by team. */
import type { Schemas } from '../../api/client';

export type StoreRow = Schemas['StoreRow'];

type Held = Pick<StoreRow, 'stored_bytes' | 'waiting_bytes' | 'allowance_bytes' | 'teams'>;

const MOST_teamsByBytes = 6;

/** Teams that have a colour, those that hold the most in all stores first. */
export function teamsByBytes(stores: readonly Pick<Held, 'teams'>[]): string[] {
  const sums = new Map<string, number>();
  for (const store of stores) for (const one of store.teams) sums.set(one.team, (sums.get(one.team) ?? 0) + one.bytes);
  return [...sums.entries()].sort((one, two) => two[1] - one[1] || one[0].localeCompare(two[0])).map(([team]) => team);
}

/** 1 to 6; the sixth is shared by all that follow. */
export const hueOf = (team: string, stores: readonly Pick<Held, 'teams'>[]): number =>
  Math.min(MOST_teamsByBytes, teamsByBytes(stores).indexOf(team) + 1);

export const teamWord = (team: string): string => team || 'no team';

/** Percent of the bar's length: each team, what is nobody's, and what waits to be freed. Together never more than the whole. */
export function partsOf(
  store: Held,
  stores: readonly Pick<Held, 'stored_bytes' | 'allowance_bytes'>[],
): { parts: { team: string; percent: number }[]; rest: number; waiting: number } {
  const fullest = Math.max(0, ...stores.filter((one) => !one.allowance_bytes).map((one) => one.stored_bytes));
  const whole = Math.max(store.allowance_bytes ?? fullest, store.stored_bytes);
  const percent = (bytes: number) => (whole ? (bytes / whole) * 100 : 0);
  const parts = store.teams.map((one) => ({ team: one.team, percent: percent(one.bytes) }));
  const held = store.teams.reduce((sum, one) => sum + one.bytes, 0);
  const waiting = Math.min(store.waiting_bytes, Math.max(0, store.stored_bytes - held));
  return { parts, rest: percent(Math.max(0, store.stored_bytes - held - waiting)), waiting: percent(waiting) };
}
