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

/** The newest good backup on a medium. */
export interface OnMedium {
  medium: string;
  newest_at: string;
}

interface Props {
  newestAt: string | null;
  promiseSeconds: number | null;
  now: number;
  places?: readonly OnMedium[];
  /** Last success of the device's own cloud backup, as the device says. */
  ownAt?: string | null;
}

const MEDIUM_NAMES: Record<string, string> = { folder: 'folder', drive: 'drive', sftp: 'other computer', bucket: 'cloud' };

/** What the ruler shows, in words. */
export function rulerWords({ newestAt, promiseSeconds, now, places = [], ownAt = null }: Props): string {
  const old = (at: string) => spoken((now - new Date(at).getTime()) / 1000);
  const parts = [
    newestAt === null ? 'no backup yet' : `newest good backup ${old(newestAt)} old`,
    promiseSeconds === null ? 'nothing promised' : `promised within ${spoken(promiseSeconds)}`,
  ];
  const media = places.map((one) => `${MEDIUM_NAMES[one.medium] ?? one.medium} ${old(one.newest_at)}`).join(', ');
  return [parts.join(', '), ...(media ? [`by medium: ${media}`] : []), ...(ownAt ? [`its own cloud, as it says: ${old(ownAt)}`] : [])].join(
    '; ',
  );
}

export function AgeRuler({ newestAt, promiseSeconds, now, places = [], ownAt = null }: Props) {
  const hours = newestAt === null ? null : (now - new Date(newestAt).getTime()) / 3_600_000;
  const promise = promiseSeconds === null ? null : promiseSeconds / 3600;
  const late = hours !== null && promise !== null && hours > promise;
  const words = rulerWords({ newestAt, promiseSeconds, now, places, ownAt });
  return (
    <svg className="ruler" width={RULER_WIDTH + 14} height="26" role="img" aria-label={words}>
      <title>{words}</title>
      <Grid />
      {hours === null ? (
        <line className="none" x1="12" x2={RULER_WIDTH} y1="11" y2="11" />
      ) : (
        <line className={late ? 'span late' : 'span'} x1="12" x2={place(hours)} y1="11" y2="11" />
      )}
      {promise !== null && <path className="promise" d={`M${place(promise)} 2v18`} />}
      {hours !== null && <circle className="here" cx={place(hours)} cy="11" r="4.6" />}
      {spread(places, now).map(({ medium, x }) => (
        <MediumMark key={medium} medium={medium} x={x} y={21} />
      ))}
      {ownAt && <OwnMark x={place((now - new Date(ownAt).getTime()) / 3_600_000)} y={21} />}
    </svg>
  );
}

const APART = 10;

/** Marks in the order of their age, side by side where they would lie on one another. */
export function spread(places: readonly OnMedium[], now: number): { medium: string; x: number }[] {
  let last = -APART;
  return places
    .map((one) => ({ medium: one.medium, x: place((now - new Date(one.newest_at).getTime()) / 3_600_000) }))
    .sort((one, other) => one.x - other.x)
    .map((one) => {
      last = Math.max(one.x, last + APART);
      return { medium: one.medium, x: last };
    });
}

/** The same shapes as beside a store's name. */
function MediumMark({ medium, x, y }: { medium: string; x: number; y: number }) {
  if (medium === 'drive') return <rect className="medium" x={x - 3} y={y - 3} width="6" height="6" />;
  if (medium === 'bucket') return <path className="medium" d={`M${x} ${y - 4} ${x + 4} ${y} ${x} ${y + 4} ${x - 4} ${y}z`} />;
  if (medium === 'sftp') return <circle className="medium hollow" cx={x} cy={y} r="2.6" />;
  return <circle className="medium" cx={x} cy={y} r="3.2" />;
}

/** Somebody else's copy, which nobody here can prove: dashed. */
const OwnMark = ({ x, y }: { x: number; y: number }) => <circle className="own" cx={x} cy={y} r="4" />;

/** What the marks below the line mean. */
export function RulerKey() {
  return (
    <p className="ruler-key quiet mt-2">
      <span>
        ● newest good backup · the stroke is what was promised · the line turns red where it is older than that. This view has an address of
        its own: keep it as a bookmark.
      </span>
      <span>Below each line, the newest on a</span>
      {['folder', 'drive', 'bucket', 'sftp'].map((medium) => (
        <span key={medium}>
          <svg width="10" height="10" aria-hidden="true" className="ruler">
            <MediumMark medium={medium} x={5} y={5} />
          </svg>{' '}
          {MEDIUM_NAMES[medium]}
        </span>
      ))}
      <span>
        <svg width="10" height="10" aria-hidden="true" className="ruler">
          <OwnMark x={5} y={5} />
        </svg>{' '}
        its own cloud, as the device says
      </span>
    </p>
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
