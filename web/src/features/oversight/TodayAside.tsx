/** Beside what needs a person: what the stores hold, and the coming night. */
import { Link } from 'react-router';

import { problemOf } from '../../api/client';
import { useStores } from '../../api/queries';
import { clock, iec } from '../../ui/format';
import { Gauge } from '../../ui/Gauge';
import { TimeOnly, useNow, useZone } from '../../ui/Office';
import { Empty, Failed } from '../../ui/States';
import { MEDIUM_WORDS } from '../../parts/media';
import { nightSentence, steps, type Sums } from './night';
import { useNight } from './queries';

export function StoresAside() {
  const stores = useStores();
  return (
    <section>
      <h2>
        Stores <small>what they hold</small>
      </h2>
      <div className="sheet">
        {stores.isLoadingError && <Failed problem={problemOf(stores.error)} />}
        {stores.data?.length === 0 && <Empty>No store yet.</Empty>}
        {stores.data?.map((store) => (
          <div className="store" key={store.id}>
            <div className="t">
              <Link to={`/storage/${store.id}`}>{store.name}</Link>
              <small>{MEDIUM_WORDS[store.medium]}</small>
            </div>
            <Gauge used={store.stored_bytes} waiting={store.waiting_bytes} limit={store.allowance_bytes} label={store.name} />
            <div className="t">
              <small>
                {iec(store.stored_bytes)}
                {store.allowance_bytes ? ` of ${iec(store.allowance_bytes)}` : ', no allowance set'}
              </small>
              <small className={store.runway.soon ? 'tone-late' : undefined}>{store.runway.short}</small>
            </div>
            {store.trouble && <small className="tone-late d-block">{store.trouble}</small>}
          </div>
        ))}
      </div>
    </section>
  );
}

export function TonightAside() {
  const night = useNight();
  const now = useNow();
  const sums = night.data;
  return (
    <section>
      <h2>
        Tonight <small>{sums && sums.rows > 0 && <Link to="/night">the line-up</Link>}</small>
      </h2>
      <div className="sheet pad">
        {night.isLoadingError && <Failed problem={problemOf(night.error)} />}
        {sums?.rows === 0 && <Empty>Nothing is lined up.</Empty>}
        {sums && sums.rows > 0 && (
          <>
            <p className="mb-1">
              {nightSentence(sums, now)}{' '}
              {sums.planned_finish && (
                <>
                  It should be through by <TimeOnly at={sums.planned_finish} />.
                </>
              )}
            </p>
            <Busy sums={sums} />
          </>
        )}
      </div>
    </section>
  );
}

const WIDTH = 320;

/** How many runs read at the same time, over the night: the line-up in the room of a thumb. */
function Busy({ sums }: { sums: Sums }) {
  const zone = useZone();
  const most = Math.max(0, ...sums.busy);
  if (most === 0) return null;
  return (
    <svg className="busy" viewBox={`0 0 ${WIDTH} 46`} role="img" aria-label={`Up to ${most} runs at a time`}>
      {steps(sums.busy).map((step) => (
        <rect
          key={step.from}
          x={step.from * WIDTH}
          width={Math.max(0.5, (step.to - step.from) * WIDTH)}
          y={30 - (step.count / most) * 28}
          height={(step.count / most) * 28}
        />
      ))}
      <line x1="0" x2={WIDTH} y1="30" y2="30" />
      <text x="0" y="43">
        {clock(sums.busy_opens, zone)}
      </text>
      <text x={WIDTH} y="43" textAnchor="end">
        {clock(sums.busy_closes, zone)}
      </text>
    </svg>
  );
}
