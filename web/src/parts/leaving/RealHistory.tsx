/** Backups of devices on an axis of age, newest to the left: a disc stays, a ring leaves, a square is kept by a safeguard or a hold. */
import type { Schemas } from '../../api/client';
import { AGES, placeOfAge, WIDTH } from '../../ui/ages';
import { counted, day, plainDay } from '../../ui/format';
import { useNow, useZone } from '../../ui/Office';
import { fates } from './realHistory';

type Device = Schemas['Loses'];

const FIRST = 6;

export function RealHistory({ devices, more }: { devices: readonly Device[]; more: number }) {
  const shown = devices.slice(0, FIRST);
  const others = devices.length - shown.length + more;
  return (
    <>
      <div className="fates">
        {shown.map((device) => (
          <OfDevice key={device.device_id} device={device} />
        ))}
        <Axis />
      </div>
      {others > 0 && <p className="hint mb-1">and {counted(others, 'more device')}</p>}
      <p className="hint mb-0">● stays · ○ leaves · ■ a safeguard or a hold keeps it</p>
    </>
  );
}

function OfDevice({ device }: { device: Device }) {
  return (
    <div className="fate">
      <div className="fate-name">
        <strong>{device.device_name}</strong> <span className="quiet">{device.holder}</span>
        {device.gap_from && device.gap_to && (
          <div className="tone-late">
            nothing left between {plainDay(device.gap_from)} and {plainDay(device.gap_to)}
          </div>
        )}
        {device.lapsed && <div className="quiet">it is late: its rule counts by its newest good backup</div>}
      </div>
      <Dots device={device} />
    </div>
  );
}

function Dots({ device }: { device: Device }) {
  const now = useNow();
  const zone = useZone();
  const said = `${counted(device.stays, 'backup')} of ${device.device_name} ${device.stays === 1 ? 'stays' : 'stay'}, ${device.leaves} ${device.leaves === 1 ? 'leaves' : 'leave'}`;
  return (
    <svg viewBox={`0 0 ${WIDTH} 18`} role="img" aria-label={said} className="fate-dots">
      <line x1="0" x2={WIDTH} y1="9" y2="9" />
      {fates(device.points, now).map((dot) => (
        <g key={dot.at} className={`fate-${dot.state}`}>
          {dot.state === 'safeguarded' || dot.state === 'held' ? (
            <rect x={dot.x - 3.5} y="5.5" width="7" height="7" />
          ) : (
            <circle cx={dot.x} cy="9" r="4" />
          )}
          <title>{`${day(dot.at, zone)}: ${dot.state}`}</title>
        </g>
      ))}
    </svg>
  );
}

function Axis() {
  return (
    <div className="fate" aria-hidden="true">
      <div className="fate-name" />
      <svg viewBox={`0 0 ${WIDTH} 14`} className="fate-axis">
        {AGES.map(([label, days]) => (
          <text key={label} x={placeOfAge(days)} y="11" textAnchor={days === 0 ? 'start' : 'middle'}>
            {label}
          </text>
        ))}
      </svg>
    </div>
  );
}
