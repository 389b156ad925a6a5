/** One device: how it stands, its moments with why each is kept, and what may be done with it. */
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { Link, useNavigate, useParams } from 'react-router';

import { problemOf, type Schemas } from '../../api/client';
import { useMay } from '../../api/may';
import { useDevice } from '../../api/queries';
import { Bytes } from '../../ui/Bytes';
import { DeviceTabs } from '../../ui/DeviceTabs';
import { iec, plainDay, spoken } from '../../ui/format';
import { Mark, STANDINGS } from '../../ui/Mark';
import { When } from '../../ui/Office';
import { FailedScreen, Heading } from '../../ui/Screen';
import { Loading } from '../../ui/States';
import { PauseButton } from '../../parts/Pausing';
import { pauseWords } from '../../parts/pauses';
import { PromiseKept } from '../../parts/PromiseKept';
import { DeviceRuler } from '../../parts/DeviceRuler';
import { OwnCloudSaid } from '../../parts/OwnCloudSaid';
import { Proven } from '../../parts/Proven';
import { AskRun } from './AskRun';
import { ChangeDevice } from './ChangeDevice';
import { Future } from '../../parts/Future';
import { DeviceRuns, Moments } from './Moments';
import { Readiness } from './Readiness';

type Row = Schemas['DeviceRow'];

export function DeviceScreen() {
  const { id = '' } = useParams();
  const device = useDevice(id);
  const may = useMay();
  const navigate = useNavigate();
  const [changing, setChanging] = useState(false);
  const [asking, setAsking] = useState(false);
  if (device.isPending) return <Loading what="the device" />;
  if (device.isLoadingError) return <FailedScreen problem={problemOf(device.error)} onRetry={() => void device.refetch()} />;
  const row = device.data;
  return (
    <>
      <div className="head">
        <div>
          <Heading title={`${row.name}, ${row.holder}`}>
            {row.name} <span className="quiet fw-normal">{row.holder}</span>
          </Heading>
          <p className="sub mb-0">{row.pause ? `It is ${pauseWords(row.pause)}.` : standingSentence(row)}</p>
        </div>
        <div className="row-end">
          {may('set_up') && (
            <Button variant="outline-primary" onClick={() => setChanging(!changing)} aria-expanded={changing}>
              Change
            </Button>
          )}
          {row.plan_id && may('pause') && <PauseButton what="this device" device={row.id} pause={row.pause} />}
          {(row.newest_id ?? row.damaged_id) && may('restore') && (
            <Button variant="outline-primary" onClick={() => void navigate(`/restore?device=${row.id}`)}>
              Restore
            </Button>
          )}
          {row.active_run ? (
            <Button onClick={() => void navigate(`/history/${row.active_run ?? ''}`)}>Watch the run</Button>
          ) : (
            may('run') && <Button onClick={() => setAsking(true)}>Run now</Button>
          )}
        </div>
      </div>
      <DeviceTabs id={row.id} inside={may('look_inside')} />
      {asking && <AskRun row={row} onCancel={() => setAsking(false)} />}
      {changing && <ChangeDevice id={row.id} onDone={() => setChanging(false)} />}
      <div className="cols">
        <div className="stack">
          <Moments id={row.id} />
          <Future id={row.id} />
          <DeviceRuns id={row.id} />
        </div>
        <aside className="stack">
          <Standing row={row} />
          <PromiseKept device={row.id} />
          <Proven device={row.id} />
          <OwnCloudSaid device={row.id} />
          {may('run') && row.link !== 'none' && <Readiness id={row.id} />}
          {row.link === 'none' && may('set_up') && (
            <div className="sheet pad">
              It stands in the register only. <Link to={`/devices/add?registered=${row.id}`}>Link it</Link>, so that it can be backed up.
            </div>
          )}
        </aside>
      </div>
    </>
  );
}

function Held({ bytes }: { bytes: number }) {
  return (
    <>
      <Bytes count={bytes} /> in all stores
    </>
  );
}

function Standing({ row }: { row: Row }) {
  const card = row.card as { present?: boolean; size_bytes?: number; encrypted?: boolean } | null;
  return (
    <section>
      <h2>How it stands</h2>
      <div className="sheet pad">
        <Mark look={STANDINGS[row.standing]} />
        <DeviceRuler row={row} />
        <dl className="facts">
          <dt>Plan</dt>
          <dd>{row.plan_id ? <Link to={`/plans/${row.plan_id}`}>{row.plan_name}</Link> : 'none: nothing is backed up by itself'}</dd>
          <dt>Next run</dt>
          <dd>{row.next_run ? <When at={row.next_run} withAge /> : '–'}</dd>
          <dt>Promise</dt>
          <dd>{row.promise_seconds ? `not older than ${spoken(row.promise_seconds)}` : '–'}</dd>
          {row.deadline && (row.standing === 'on_time' || row.standing === 'due_soon') && (
            <>
              <dt>Runs out</dt>
              <dd>
                <When at={row.deadline} withAge />
              </dd>
            </>
          )}
          <dt>Stored</dt>
          <dd>{row.newest_id && row.held_bytes === 0 ? 'not measured yet' : <Held bytes={row.held_bytes} />}</dd>
          <dt>Device</dt>
          <dd>
            {[
              row.make,
              row.model,
              `${row.family_label} ${row.os_version}`.trim(),
              row.update_pending && `${row.update_pending} waits to be installed`,
            ]
              .filter(Boolean)
              .join(', ')}
          </dd>
          <dt>Serial</dt>
          <dd>{[row.serial, row.asset_tag].filter(Boolean).join(', asset ') || '–'}</dd>
          <dt>Storage</dt>
          <dd>{row.storage_total_bytes ? `${iec(row.storage_used_bytes ?? 0)} of ${iec(row.storage_total_bytes)} used` : '–'}</dd>
          {card?.present && (
            <>
              <dt>Card</dt>
              <dd>{`${card.size_bytes ? iec(card.size_bytes) : 'present'}${card.encrypted ? ', encrypted by the device' : ', not encrypted'}`}</dd>
            </>
          )}
          <dt>Team</dt>
          <dd>{row.team ? <Link to={`/devices?team=${row.team_id ?? ''}`}>{row.team}</Link> : '–'}</dd>
          <dt>Holder</dt>
          <dd>
            <Link to={`/holders/${row.holder_id}`}>{row.holder}</Link>
            {row.handed_over_on && <span className="quiet"> since {plainDay(row.handed_over_on)}</span>}
          </dd>
          {row.purchased_on && (
            <>
              <dt>Purchased</dt>
              <dd>{plainDay(row.purchased_on)}</dd>
            </>
          )}
          {row.note && (
            <>
              <dt>Note</dt>
              <dd>{row.note}</dd>
            </>
          )}
        </dl>
      </div>
    </section>
  );
}

function standingSentence(row: Row): string {
  if (row.link === 'none') return 'It stands in the register and is not linked yet.';
  if (row.standing === 'never') return row.last_cause ? `Never backed up. ${row.last_cause}` : 'Never backed up.';
  if (row.standing === 'no_plan') return 'It has no plan, so nothing is backed up by itself.';
  if (row.last_state && !['complete', 'partial'].includes(row.last_state)) return `The last run did not succeed: ${row.last_cause ?? ''}`;
  return row.standing === 'on_time' ? 'It is inside its promise.' : '';
}
