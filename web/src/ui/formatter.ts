/** Formatters that are made once for each zone: making one takes a hundred times as long as using it. */

export type Formatter = (at: Date | string | number, zone: string) => string;

export function formatter(language: string, options: Intl.DateTimeFormatOptions): Formatter {
  const made = new Map<string, Intl.DateTimeFormat>();
  return (at, zone) => {
    let known = made.get(zone);
    if (!known) {
      known = new Intl.DateTimeFormat(language, { ...options, timeZone: zone });
      made.set(zone, known);
    }
    return known.format(new Date(at));
  };
}
