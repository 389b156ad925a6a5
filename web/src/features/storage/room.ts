/** Arithmetic and words of making room. */
import type { Schemas } from '../../api/client';
import { counted, iec, plainDay } from '../../ui/format';

export type Bench = Schemas['Bench'];
export type Offer = Bench['offers'][number];
export type Sum = Schemas['Sum'];

export interface Rung {
  rung: number;
  title: string;
  offers: Offer[];
}

/** The ladder: steps that have anything to offer, in their order. */
export function ladder(bench: Pick<Bench, 'rungs' | 'offers'>): Rung[] {
  return bench.rungs
    .map(({ rung, title }) => ({ rung, title, offers: bench.offers.filter((one) => one.rung === rung) }))
    .filter((one) => one.offers.length > 0);
}

/** Ticked or not; a whole step at once. */
export function toggled(picked: ReadonlySet<string>, keys: readonly string[], on: boolean): Set<string> {
  const next = new Set(picked);
  for (const key of keys) {
    if (on) next.add(key);
    else next.delete(key);
  }
  return next;
}

/** What of the picked is still offered: another page may have made that room meanwhile. */
export const stillOffered = (picked: ReadonlySet<string>, offers: readonly Pick<Offer, 'key'>[]): string[] =>
  offers.map((one) => one.key).filter((key) => picked.has(key));

/** When its bytes are free; no day can be told while something keeps everything there. */
export function freeWords({ in_time, free_on }: Pick<Offer, 'in_time' | 'free_on'>, waits: boolean): string {
  if (waits) return 'not while that is kept';
  return in_time ? `as old ones go, until ${plainDay(free_on)}` : `free by ${plainDay(free_on)}`;
}

/** How the sum stands to what is wanted. */
export function wantedWords(sum: Pick<Sum, 'given_back_bytes' | 'later_bytes'>, wanted: number | null): string {
  if (wanted === null) return '';
  const lacking = wanted - sum.given_back_bytes - sum.later_bytes;
  return lacking <= 0 ? `${iec(wanted)} were wanted.` : `${iec(lacking)} less than the ${iec(wanted)} that were wanted.`;
}

/** What goes, in a line. */
export function goesWords(sum: Pick<Sum, 'backups' | 'devices'>): string {
  if (sum.backups === 0) return 'No backup leaves by it.';
  return `${counted(sum.backups, 'backup leaves', 'backups leave')} this store, of ${counted(sum.devices, 'device')}.`;
}

/** What makes the difference between what nothing needs and what is given back. */
export const restWords = (sum: Pick<Sum, 'bytes' | 'given_back_bytes'>): string =>
  sum.given_back_bytes > sum.bytes
    ? 'the sweeps that follow leave no waste, and give back what lay beside them.'
    : 'what says that they went, and lists that are written anew, take a little of it.';

export type TonightTold = Schemas['Tonight'];

/** What a room lacks for the coming night. */
export const lackingWords = (one: TonightTold['lacking'][number]): string =>
  `${one.name} lacks ${iec(one.wanted_bytes)} for tonight${one.left_bytes > 0 ? `, and has ${iec(one.left_bytes)} left` : ' and is full'}`;
