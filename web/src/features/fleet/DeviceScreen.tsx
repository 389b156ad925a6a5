/** One device: how it stands, its moments with why each is kept, and what may be done with it. */
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { Link, useNavigate, useParams } from 'react-router';

import { client, problemOf, told, type Schemas } from '../../api/client';
import { useDevice, useDeviceBackups, useMe, useRuns } from '../../api/queries';
import { AgeRuler } from '../../ui/AgeRuler';
import { Bytes } from '../../ui/Bytes';
import { counted, iec, plainDay, spoken } from '../../ui/format';
import { Mark, RUN_STATES, STANDINGS } from '../../ui/Mark';
import { useNow, When } from '../../ui/Office';
import { Empty, Failed, Loading, Refused } from '../../ui/States';
import { ChangeDevice } from './ChangeDevice';

type Row = Schemas['DeviceRow'];

export function DeviceScreen() {
  const { id = '' } = useParams();
  const device = useDevice(id);
  const me = useMe();
  const navigate = useNavigate();
  const [changing, setChanging] = useState(false);
  const run = useMutation({
    mutationFn: () => told(client.POST('/api/devices/{id}/run', { params: { path: { id } }, body: { note: '' } })),
    onSuccess: (asked) => void navigate(`/history/${asked.id}`),
  });
  const now = useNow();
  if (device.isPending) return <Loading what="the device" />;
  if (device.isError) return <Failed problem={problemOf(device.error)} onRetry={() => void device.refetch()} />;
  const row = device.data;
  const role = me.data?.user?.role;
  return (
    <>
      <div className="head">
        <div>
          <h1 tabIndex={-1}>
            {row.name} <span className="quiet fw-normal">{row.holder}</span>
          </h1>
          <p className="sub mb-0">{standingSentence(row)}</p>
        </div>
        <div className="row-end">
          {role === 'administrator' && (
            <Button variant="outline-primary" onClick={() => setChanging(!changing)} aria-expanded={changing}>
              Change
            </Button>
          )}
          {row.newest_id && role !== 'auditor' && (
            <Button variant="outline-primary" onClick={() => void navigate(`/restore?device=${row.id}`)}>
              Restore
            </Button>
          )}
          {row.active_run ? (
            <Button onClick={() => void navigate(`/history/${row.active_run ?? ''}`)}>Watch the run</Button>
          ) : (
            role !== 'auditor' && (
              <Button onClick={() => run.mutate()} disabled={run.isPending}>
                Run now
              </Button>
            )
          )}
        </div>
      </div>
      <Refused problem={run.error ? problemOf(run.error) : null} />
      {changing && <ChangeDevice row={row} onDone={() => setChanging(false)} />}
      <div className="cols">
        <div className="stack">
          <Moments id={row.id} />
          <DeviceRuns id={row.id} />
        </div>
        <aside className="stack">
          <section>
            <h2>How it stands</h2>
            <div className="sheet pad">
              <Mark look={STANDINGS[row.standing]} />
              <AgeRuler newestAt={row.newest_at} promiseSeconds={row.promise_seconds} now={now} />
              <dl className="facts">
                <dt>Plan</dt>
                <dd>{row.plan_id ? <Link to={`/plans/${row.plan_id}`}>{row.plan_name}</Link> : 'none: nothing is backed up by itself'}</dd>
                <dt>Next run</dt>
                <dd>{row.next_run ? <When at={row.next_run} withAge /> : '–'}</dd>
                <dt>Promise</dt>
                <dd>{row.promise_seconds ? `not older than ${spoken(row.promise_seconds)}` : '–'}</dd>
                <dt>Holds</dt>
                <dd>
                  <Bytes count={row.held_bytes} /> in all stores
                </dd>
                <dt>Device</dt>
                <dd>{row.link === 'folder' ? row.folder : `${row.make} ${row.model}, ${row.family_label} ${row.os_version}`}</dd>
                <dt>Team</dt>
                <dd>{row.team || '–'}</dd>
              </dl>
            </div>
          </section>
          {role !== 'auditor' && <Readiness id={row.id} link={row.link} />}
        </aside>
      </div>
    </>
  );
}

function standingSentence(row: Row): string {
  if (row.standing === 'never') return row.last_cause ? `Never backed up. ${row.last_cause}` : 'Never backed up.';
  if (row.standing === 'no_plan') return 'It has no plan, so nothing is backed up by itself.';
  if (row.last_state && !['complete', 'partial'].includes(row.last_state)) return `The last run did not come: ${row.last_cause ?? ''}`;
  return row.standing === 'on_time' ? 'It is inside its promise.' : '';
}

function Moments({ id }: { id: string }) {
  const backups = useDeviceBackups(id);
  return (
    <section>
      <h2>
        Moments <small>what can be restored, why it is kept and until when</small>
      </h2>
      <div className="sheet scroll" style={{ maxHeight: 420, overflowY: 'auto' }}>
        {backups.isPending && <Loading what="backups" />}
        {backups.isError && <Failed problem={problemOf(backups.error)} onRetry={() => void backups.refetch()} />}
        {backups.data?.length === 0 && <Empty>No backup of this device has finished yet.</Empty>}
        {backups.data && backups.data.length > 0 && (
          <table className="rows">
            <thead>
              <tr>
                <th scope="col">Finished</th>
                <th scope="col">Where</th>
                <th scope="col" className="num">
                  Size
                </th>
                <th scope="col">Kept because</th>
                <th scope="col">Falls out</th>
              </tr>
            </thead>
            <tbody>
              {backups.data.map((backup) => (
                <tr key={backup.id} className="linked">
                  <td className="nowrap">
                    <Link className="title-link" to={`/backups/${backup.id}`}>
                      <When at={backup.finished_at} />
                    </Link>
                  </td>
                  <td className="nowrap">{backup.copies.map((copy) => copy.store_name + (copy.intact ? '' : ' (damaged)')).join(', ')}</td>
                  <td className="num">
                    <Bytes count={backup.size_bytes} />
                  </td>
                  <td>{whyShort(backup.kept)}</td>
                  <td className="nowrap">{backup.kept.map(falls).join(', ')}</td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
      </div>
    </section>
  );
}

function falls(kept: Schemas['Kept']): string {
  if (!kept.kept) return 'with the next run';
  return kept.falls_out_on ? plainDay(kept.falls_out_on) : 'not by itself';
}

function whyShort(kept: Schemas['Kept'][]): string {
  const why = kept.flatMap((one) => one.why);
  const [first = 'no rule any more', ...others] = why;
  return others.length ? `${first}, and ${counted(others.length, 'more reason')}` : first;
}

function DeviceRuns({ id }: { id: string }) {
  const runs = useRuns({ device: id, page_size: 8 });
  return (
    <section>
      <h2>
        Last runs <small>{<Link to={`/history?device=${id}`}>all of them</Link>}</small>
      </h2>
      <div className="sheet scroll">
        {runs.data?.results.length === 0 && <Empty>No run yet.</Empty>}
        <table className="rows">
          <tbody>
            {runs.data?.results.map((run) => (
              <tr key={run.id} className="linked">
                <td className="nowrap">
                  <Mark look={RUN_STATES[run.state]} />
                </td>
                <td className="nowrap">
                  <Link to={`/history/${run.id}`}>
                    <When at={run.finished_at ?? run.asked_at} />
                  </Link>
                </td>
                <td>{run.cause}</td>
                <td className="num">{run.backup_id ? `+${iec(run.stored_bytes)}` : '–'}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </section>
  );
}

function Readiness({ id, link }: { id: string; link: string }) {
  const ready = useQuery({
    queryKey: ['readiness', id],
    queryFn: () => told(client.GET('/api/devices/{id}/readiness', { params: { path: { id } } })),
    enabled: false,
  });
  const queries = useQueryClient();
  const [code, setCode] = useState('');
  const again = useMutation({
    mutationFn: () => told(client.POST('/api/devices/{id}/pair-again', { params: { path: { id } }, body: { code } })),
    onSuccess: () => {
      setCode('');
      void queries.invalidateQueries({ queryKey: ['devices'] });
      return ready.refetch();
    },
  });
  const told_ = ready.data;
  return (
    <section>
      <h2>Is it ready?</h2>
      <div className="sheet pad" aria-live="polite">
        <Button size="sm" variant="outline-primary" onClick={() => void ready.refetch()} disabled={ready.isFetching}>
          {ready.isFetching ? 'Asking …' : 'Ask the device now'}
        </Button>
        {ready.isError && <Failed problem={problemOf(ready.error)} />}
        {told_ && !told_.reachable && (
          <p className="mt-2 mb-0">
            <strong>{told_.says}</strong> {told_.remedy}
          </p>
        )}
        {told_?.reachable && (
          <dl className="facts mt-2">
            <Fact name="Lock" value={flag(told_.locked, 'locked: ask its holder to unlock it', 'unlocked')} />
            <Fact name="Data access" value={flag(told_.data_access, 'on', 'off: switch it on in its settings')} />
            <Fact name="Power" value={flag(told_.on_power, 'on power', 'on battery')} />
            <Fact name="Battery" value={told_.battery_percent === null ? null : `${told_.battery_percent} %`} />
            <Fact name="Finder lock" value={flag(told_.finder_lock, 'on: a restore is blocked', 'off')} />
            <Fact name="Storage" value={told_.storage_total_bytes === null ? null : `${iec(told_.storage_used_bytes ?? 0)} of ${iec(told_.storage_total_bytes)}`} />
          </dl>
        )}
        {link === 'agent' && told_ && !told_.reachable && (
          <form
            className="mt-3"
            onSubmit={(event) => {
              event.preventDefault();
              again.mutate();
            }}
          >
            <h3>Pair again</h3>
            <Refused problem={again.error ? problemOf(again.error) : null} />
            <div className="row-end">
              <input className="form-control form-control-sm w-auto" aria-label="Pairing code" value={code} onChange={(event) => setCode(event.target.value)} />
              <Button type="submit" size="sm" variant="outline-primary" disabled={again.isPending || !code}>
                Pair
              </Button>
            </div>
          </form>
        )}
      </div>
    </section>
  );
}

const flag = (value: boolean | null, yes: string, no: string): string | null => (value === null ? null : value ? yes : no);

function Fact({ name, value }: { name: string; value: string | null }) {
  return (
    <>
      <dt>{name}</dt>
      <dd>{value ?? <span className="quiet">this link cannot tell</span>}</dd>
    </>
  );
}
