/** Wording and arithmetic of what fills a device. */
import type { Schemas } from '../../api/client';
import { counted, iec } from '../../ui/format';

export type Filling = Schemas['Filling'];
export type FillingItem = Schemas['FillingItem'];
export type Effect = Schemas['Effect'];
export type Growth = Schemas['Growth'];

/** A path and what lies before its last part, which is what people look for. */
export function parted(name: string): { before: string; last: string } {
  const at = name.lastIndexOf('/');
  return { before: name.slice(0, at + 1), last: name.slice(at + 1) };
}

/** Grown, shrunk or the same; nothing while too little is known. */
export function grownWords(bytes: number | null): string {
  if (bytes === null) return '–';
  if (bytes === 0) return 'unchanged';
  return `${bytes > 0 ? '+' : '−'}${iec(Math.abs(bytes))}`;
}

/** What the largest growth is, for the page's first line. */
export function grewMost(growth: readonly Growth[], label: (kind: string) => string): string {
  const first = growth[0];
  if (!first || first.grown_bytes === null || first.grown_bytes <= 0) return '';
  return `${label(first.kind)} grew most: ${grownWords(first.grown_bytes)}`;
}

/** What leaving out would mean, sentence by sentence. */
export function effectWords(effect: Effect, store: string): string[] {
  const less =
    effect.items > 0
      ? `The next backups take ${counted(effect.items, 'item')} less, ${iec(effect.size_bytes)} on the device.`
      : 'The newest backup holds none of it: nothing changes for the next ones.';
  if (effect.backups === 0) return [less];
  const one = effect.backups === 1;
  const held = `${counted(effect.backups, 'backup still holds', 'backups still hold')} it until ${one ? 'it leaves by its' : 'they leave by their'} rule; what changes from now on is in none.`;
  return [less, held, `Once ${one ? 'it has' : 'they have'} left, ${iec(effect.freed_bytes)} in ${store} are needed by nothing.`];
}

/** Where a plan's editor begins with one more exclusion. */
export const planWithout = (plan: string, kind: string, under: string): string =>
  `/plans/${plan}?${new URLSearchParams({ leave_out_kind: kind, leave_out: under }).toString()}`;
