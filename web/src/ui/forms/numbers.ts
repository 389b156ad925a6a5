/** Numbers as people type them: comma or point, spaces between thousands, any script's digits, a unit behind. One reader for all. */

export interface Unit {
  label: string;
  /** The word for a single one, where it differs. */
  one?: string;
  /** How much one of it is in what the server is told: bytes, seconds, pieces. */
  each: number;
}

export const SIZES: Unit[] = [
  { label: 'MiB', each: 1024 ** 2 },
  { label: 'GiB', each: 1024 ** 3 },
  { label: 'TiB', each: 1024 ** 4 },
];
export const SPEEDS: Unit[] = [
  { label: 'KiB/s', each: 1024 },
  { label: 'MiB/s', each: 1024 ** 2 },
];
export const SPANS: Unit[] = [
  { label: 'hours', one: 'hour', each: 3600 },
  { label: 'days', one: 'day', each: 86_400 },
  { label: 'weeks', one: 'week', each: 7 * 86_400 },
];
export const MINUTES: Unit[] = [{ label: 'minutes', one: 'minute', each: 1 }];

export const PERCENT: Unit[] = [{ label: '%', each: 1 }];

/** The number that a text says, or in words why it says none. */
export type Read = { value: number } | { wrong: string };

const NOT_A_NUMBER = 'Write a number, such as 3 or 1.5.';

/** Digits of any script as 0 to 9: each script's digits follow one another from its zero. */
function plainDigits(text: string): string {
  return text.normalize('NFKC').replace(/\p{Nd}/gu, (digit) => {
    let value = 0;
    const point = digit.codePointAt(0) ?? 48;
    while (value < 9 && /\p{Nd}/u.test(String.fromCodePoint(point - value - 1))) value += 1;
    return String(value);
  });
}

/** `1.5`, `1,5`, `12 000`, `٣`; nothing with a sign, an exponent or both a comma and a point. */
export function readNumber(text: string): Read {
  const plain = plainDigits(text)
    .trim()
    .replace(/(?<=\d)[\s']+(?=\d{3}(?!\d))/g, '');
  if (/^[+\-−–]/u.test(plain)) return { wrong: 'Write it without a sign.' };
  if (/^\d+[.,]\d{3}$/.test(plain) && !/^0[.,]/.test(plain)) {
    return {
      wrong: `“${plain}” can be read in two ways: write ${plain.replace(/[.,]/, '')}, or ${plain.replace(',', '.').replace(/\.?0+$/, '')}.`,
    };
  }
  if (!/^(\d+([.,]\d*)?|[.,]\d+)$/.test(plain)) return { wrong: NOT_A_NUMBER };
  return { value: Number(plain.replace(',', '.')) };
}

/** What was typed, times its unit: one typed behind the number goes before the one that is chosen. `whole`: no fraction of a piece. */
export function readAmount(text: string, units: readonly Unit[], chosen: Unit, whole = false): Read & { unit: Unit } {
  const behind = /^(.*?)\s*([\p{L}/%]+)\s*$/u.exec(text);
  const named = behind ? units.find((unit) => sameUnit(unit, behind[2] ?? '')) : undefined;
  const unit = named ?? chosen;
  const read = readNumber(named && behind ? (behind[1] ?? '') : text);
  if ('wrong' in read) return { ...read, unit };
  if (whole && !Number.isInteger(read.value)) return { wrong: 'Write a whole number.', unit };
  return { value: Math.round(read.value * unit.each), unit };
}

const sameUnit = (unit: Unit, typed: string): boolean => [unit.label, unit.one].some((word) => word?.toLowerCase() === typed.toLowerCase());

/** The unit in which a value stands shortest without losing anything; the first one for none. */
export function unitFor(value: number | null, units: readonly Unit[]): Unit {
  const first = units[0] ?? { label: '', each: 1 };
  if (!value) return first;
  return [...units].reverse().find((unit) => value >= unit.each && Number.isInteger(Math.round((value * 1e6) / unit.each) / 1e4)) ?? first;
}

/** The text of a value in a unit, as somebody would type it: `1.5`; nothing for no value. */
export const written = (value: number | null, unit: Unit): string =>
  value === null ? '' : String(Math.round((value / unit.each) * 1e6) / 1e6);

/** Why a value is out of its bounds, in words; null when it is not. Bounds in the unit in which it was typed. */
export function outOfBounds(value: number, unit: Unit, least: number | undefined, most: number | undefined): string | null {
  const say = (bound: number) => `${written(bound, unit)} ${bound === unit.each ? (unit.one ?? unit.label) : unit.label}`.trim();
  // a byte is no bound that anybody would name in GiB
  if (least !== undefined && value < least) return least === 1 && unit.each > 1 ? 'More than nothing.' : `At least ${say(least)}.`;
  if (most !== undefined && value > most) return `At most ${say(most)}.`;
  return null;
}
