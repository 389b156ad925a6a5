/** Where each backup stands on the axis of age: logarithmic, since rules thin out with age. */
import type { Schemas } from '../../api/client';

export type Point = Schemas['Point'];

export const WIDTH = 380;
const LEFT = 6;
const DAY = 86_400_000;

/** Marks of the axis: its words, and days of age. */
export const AGES: readonly [string, number][] = [
  ['now', 0],
  ['1 d', 1],
  ['1 wk', 7],
  ['1 mo', 30],
  ['3 mo', 91],
  ['1 yr', 365],
  ['3 yr', 1095],
];

const scale = (WIDTH - 2 * LEFT - 12) / Math.log2(1 + 1095);

/** From the left, for an age in days; what lies beyond three years stands at the end. */
export const placeOfAge = (days: number): number => LEFT + Math.min(Math.log2(1 + Math.max(0, days)) * scale, WIDTH - 2 * LEFT);

/** Each point with its place; those that leave come last, so that nothing hides them. */
export function fates(points: readonly Point[], now: number): (Point & { x: number })[] {
  const placed = points.map((point) => ({ ...point, x: placeOfAge((now - Date.parse(point.at)) / DAY) }));
  return [...placed.filter((dot) => dot.state !== 'leaves'), ...placed.filter((dot) => dot.state === 'leaves')];
}
