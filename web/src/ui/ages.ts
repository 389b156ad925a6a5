/** An axis of age: logarithmic, since rules thin out with age. Newest to the left. */
export const WIDTH = 380;
const LEFT = 6;

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
