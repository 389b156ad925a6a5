/** A lane a device: what was lined up as an open bar, what ran as a filled one over it. */
import { clock, counted } from '../../ui/format';
import { RUN_STATES } from '../../ui/Mark';
import { useZone } from '../../ui/Office';
import { bars, type NightRow, type Span } from './night';

const LANE = 17;
const LEFT = 230;
const WIDTH = 700;
const TOP = 20;

export function NightChart({ span, rows, now }: { span: Span; rows: NightRow[]; now: number }) {
  const zone = useZone();
  const drawn = bars(span, rows, now);
  const x = (share: number) => LEFT + share * WIDTH;
  const height = TOP + drawn.bars.length * LANE + 8;
  return (
    <svg
      className="night-chart"
      viewBox={`0 0 ${LEFT + WIDTH + 10} ${height}`}
      role="img"
      aria-label={`Line-up of the night, ${counted(rows.length, 'row')}; the table below says the same`}
    >
      {drawn.ticks.map((tick) => (
        <g key={tick.iso}>
          <line className="tick" x1={x(tick.at)} x2={x(tick.at)} y1={TOP - 4} y2={height} />
          <text x={x(tick.at)} y={11} textAnchor="middle">
            {clock(tick.iso, zone)}
          </text>
        </g>
      ))}
      {drawn.bars.map(({ row, planned, real, closes }, n) => {
        const y = TOP + n * LANE;
        return (
          <g key={`${row.device_id} ${n}`}>
            <title>{laneWords(row, zone)}</title>
            <text x={LEFT - 8} y={y + 12} textAnchor="end">
              {row.device_name}, {row.holder}
            </text>
            <line className="lane" x1={LEFT} x2={LEFT + WIDTH} y1={y + LANE - 1} y2={y + LANE - 1} />
            {closes !== null && closes < 1 && <line className="closes" x1={x(closes)} x2={x(closes)} y1={y + 2} y2={y + LANE - 3} />}
            {planned && (
              <rect
                className={row.fits ? 'lined' : 'lined misfit'}
                x={x(planned[0])}
                y={y + 2}
                width={Math.max(3, x(planned[1]) - x(planned[0]))}
                height={LANE - 6}
              />
            )}
            {real && (
              <rect
                className={`ran ${RUN_STATES[row.state]?.tone ?? 'off'}`}
                x={x(real[0])}
                y={y + 5}
                width={Math.max(3, x(real[1]) - x(real[0]))}
                height={LANE - 12}
              />
            )}
            {!real && row.state === 'missed' && (
              <text className="tone-late" x={x(planned?.[0] ?? 0) + 3} y={y + 12}>
                missed
              </text>
            )}
          </g>
        );
      })}
      {drawn.now !== null && <line className="now" x1={x(drawn.now)} x2={x(drawn.now)} y1={TOP - 4} y2={height} />}
    </svg>
  );
}

function laneWords(row: NightRow, zone: string): string {
  const parts = [`${row.device_name}, ${row.holder}, into ${row.store}`];
  if (row.planned_start && row.planned_end)
    parts.push(
      `lined up from ${clock(row.planned_start, zone)} to ${clock(row.planned_end, zone)}${row.basis === 'own' ? ', from its own last runs' : row.basis === 'size' ? ', from what there is to read' : ''}`,
    );
  if (row.started_at)
    parts.push(
      `ran from ${clock(row.started_at, zone)}${row.finished_at ? ` to ${clock(row.finished_at, zone)}` : ''}: ${RUN_STATES[row.state]?.word ?? row.state}`,
    );
  if (row.cause) parts.push(row.cause);
  return parts.join('; ');
}
