import { grouped, iec } from './format';

/** A size in IEC units with the exact count at hand. */
export function Bytes({ count }: { count: number | null | undefined }) {
  if (count === null || count === undefined) return <span className="quiet">–</span>;
  return <span title={`${grouped(count)} bytes`}>{iec(count)}</span>;
}
