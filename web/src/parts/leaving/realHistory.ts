/** What becomes of each backup, and where it stands on the axis of age. */
import type { Schemas } from '../../api/client';
import { placeOfAge } from '../../ui/ages';

export type Point = Schemas['Point'];

const DAY = 86_400_000;

/** Each point with its place; those that leave come last, so that nothing hides them. */
export function fates(points: readonly Point[], now: number): (Point & { x: number })[] {
  const placed = points.map((point) => ({ ...point, x: placeOfAge((now - Date.parse(point.at)) / DAY) }));
  return [...placed.filter((dot) => dot.state !== 'leaves'), ...placed.filter((dot) => dot.state === 'leaves')];
}
