/** The age of a device's newest good backup on a logarithmic axis from last night to a month; the promise is a stroke. */
import { spoken } from './format';

export const RULER_WIDTH = 250;
const MARKS: [string, number][] = [
  ['now', 0],
  ['1 d', 24],
  ['3 d', 72],
  ['1 wk', 168],
  ['1 mo', 720],
];

/** Hours → pixels: last night and last month on one ruler. */
export const place = (hours: number): number => Math.min(RULER_WIDTH, 12 + Math.log2(1 + Math.max(0, hours) / 6) * 34);

export function RulerAxis() {
  return (
    <svg className="ruler" width={RULER_WIDTH + 14} height="14" aria-hidden="true">
      {MARKS.map(([word, hours]) => (
        <text key={word} x={place(hours)} y="11" textAnchor="middle">
          {word}
        </text>
      ))}
    </svg>
  );
}

function Grid() {
  return MARKS.map(([word, hours]) => <line key={word} className="grid" x1={place(hours)} x2={place(hours)} y1="3" y2="19" />);
}

export function AgeRuler({ newestAt, promiseSeconds, now }: { newestAt: string | null; promiseSeconds: number | null; now: number }) {
  const hours = newestAt === null ? null : (now - new Date(newestAt).getTime()) / 3_600_000;
  const promise = promiseSeconds === null ? null : promiseSeconds / 3600;
  const late = hours !== null && promise !== null && hours > promise;
  const words = hours === null ? 'no backup yet' : `newest good backup ${spoken(hours * 3600)} old`;
  const promised = promise === null ? 'nothing promised' : `promised within ${spoken(promise * 3600)}`;
  return (
    <svg className="ruler" width={RULER_WIDTH + 14} height="22" role="img" aria-label={`${words}, ${promised}`}>
      <title>{`${words}, ${promised}`}</title>
      <Grid />
      {hours === null ? (
        <line className="none" x1="12" x2={RULER_WIDTH} y1="11" y2="11" />
      ) : (
        <line className={late ? 'span late' : 'span'} x1="12" x2={place(hours)} y1="11" y2="11" />
      )}
      {promise !== null && <path className="promise" d={`M${place(promise)} 2v18`} />}
      {hours !== null && <circle className="here" cx={place(hours)} cy="11" r="4.6" />}
    </svg>
  );
}

/** Everything that is on time, folded into one strip of dots. */
export function RulerStrip({ newest, now }: { newest: string[]; now: number }) {
  return (
    <svg className="ruler" width={RULER_WIDTH + 14} height="22" role="img" aria-label={`${newest.length} devices on time`}>
      <Grid />
      {newest.map((at, n) => (
        <circle key={`${at} ${n}`} className="dot" cx={place((now - new Date(at).getTime()) / 3_600_000)} cy={n % 2 ? 8 : 14} r="3.4" />
      ))}
    </svg>
  );
}
