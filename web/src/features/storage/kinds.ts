/** The arithmetic of teams by kinds. */
const MOST_COLUMNS = 6;
const SIDE = 34;
const LEAST_SIDE = 3;

export interface Cell {
  bytes: number;
  /** Of its square in pixels: areas stand to each other as bytes do. */
  side: number;
}

interface TeamKinds {
  team: string;
  kinds: Readonly<Record<string, number>>;
}

/** The largest kinds have a column each, all others one together. */
export function matrix(found: readonly TeamKinds[], labels: readonly [string, string][]) {
  const sums = new Map<string, number>();
  for (const row of found) for (const [code, bytes] of Object.entries(row.kinds)) sums.set(code, (sums.get(code) ?? 0) + bytes);
  const ordered = [...sums.entries()].sort((one, two) => two[1] - one[1] || one[0].localeCompare(two[0])).map(([code]) => code);
  const named = new Map(labels);
  const own = ordered.filter((code) => named.has(code)).slice(0, ordered.length > MOST_COLUMNS + 1 ? MOST_COLUMNS : MOST_COLUMNS + 1);
  const others = ordered.filter((code) => !own.includes(code));
  const rows = found.map(({ team, kinds }) => ({
    team,
    bytes: [...own.map((code) => kinds[code] ?? 0), ...(others.length ? [others.reduce((sum, code) => sum + (kinds[code] ?? 0), 0)] : [])],
  }));
  const most = Math.max(1, ...rows.flatMap((row) => row.bytes));
  const cells = (bytes: number[]): Cell[] =>
    bytes.map((one) => ({ bytes: one, side: Math.max(LEAST_SIDE, Math.round(Math.sqrt(one / most) * SIDE)) }));
  return {
    columns: [...own.map((code) => named.get(code) ?? code), ...(others.length ? ['Rest'] : [])],
    rows: rows.map((row) => ({ team: row.team, cells: cells(row.bytes) })),
  };
}
