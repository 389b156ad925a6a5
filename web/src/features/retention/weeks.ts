/** ISO 8601 weeks of days written as the server writes them. */
const DAY = 86_400_000;

/** `48` for 2026-11-23: the number of the week that a Monday begins. */
export function isoWeek(monday: string): number {
  const thursday = new Date(Date.parse(`${monday}T00:00:00Z`) + 3 * DAY);
  const first = Date.UTC(thursday.getUTCFullYear(), 0, 1);
  return Math.floor((thursday.getTime() - first) / DAY / 7) + 1;
}
