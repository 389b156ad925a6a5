/** Every device: exceptions are rows, what is on time folds into one strip a team on the same ruler. */
import { useState } from 'react';
import { Link, useNavigate, useSearchParams } from 'react-router';
import Button from 'react-bootstrap/Button';
import Form from 'react-bootstrap/Form';

import { problemOf } from '../../api/client';
import { useDevices } from '../../api/queries';
import { AgeRuler, RulerAxis, RulerStrip } from '../../ui/AgeRuler';
import { Bytes } from '../../ui/Bytes';
import { counted } from '../../ui/format';
import { Mark, STANDINGS } from '../../ui/Mark';
import { Age, useNow } from '../../ui/Office';
import { Pager } from '../../ui/Pager';
import { Empty, Failed, Loading } from '../../ui/States';
import { byTeam, lastWord, type DeviceRow, type TeamGroup } from './words';

/** As many as the server hands out at once. */
const PAGE = 200;
const ORDER = ['late', 'never', 'due_soon', 'no_plan', 'on_time', 'away', 'lost', 'retired'];

export function DevicesScreen() {
  const [params, setParams] = useSearchParams();
  const navigate = useNavigate();
  const standing = params.get('standing') ?? undefined;
  const words = params.get('words') ?? '';
  const page = Number(params.get('page') ?? 1);
  const flat = params.get('order') === 'lateness';
  const devices = useDevices({ standing, words: words || undefined, page });
  const set = (name: string, value: string | undefined) =>
    setParams(
      (before) => {
        if (value) before.set(name, value);
        else before.delete(name);
        if (name !== 'page') before.delete('page');
        return before;
      },
      { replace: true },
    );
  const counts = devices.data?.counts ?? {};
  const all = Object.values(counts).reduce((sum, count) => sum + count, 0);
  return (
    <>
      <div className="head">
        <h1 tabIndex={-1}>Devices</h1>
        <div className="row-end">
          <div className="chips" role="group" aria-label="Show only">
            <button type="button" className={standing ? 'chip' : 'chip on'} aria-pressed={!standing} onClick={() => set('standing', undefined)}>
              {all} all
            </button>
            {ORDER.filter((name) => counts[name]).map((name) => (
              <button
                type="button"
                key={name}
                className={standing === name ? 'chip on' : 'chip'}
                aria-pressed={standing === name}
                onClick={() => set('standing', standing === name ? undefined : name)}
              >
                {counts[name]} <Mark look={STANDINGS[name]} />
              </button>
            ))}
          </div>
          <Form.Control
            size="sm"
            type="search"
            aria-label="Find a device, holder or team"
            placeholder="Find"
            style={{ width: 130 }}
            value={words}
            onChange={(event) => set('words', event.target.value)}
          />
          <Button onClick={() => void navigate('/devices/add')}>Add a device</Button>
        </div>
      </div>
      <div className="sheet scroll">
        {devices.isPending && <Loading what="devices" />}
        {devices.isError && <Failed problem={problemOf(devices.error)} onRetry={() => void devices.refetch()} />}
        {devices.data && devices.data.count === 0 && (
          <Empty>{all === 0 ? 'No device yet. Add the first one: it takes a minute.' : 'No device matches. Show all, or search for something else.'}</Empty>
        )}
        {devices.data && devices.data.count > 0 && (
          <table className="rows">
            <thead>
              <tr>
                <th scope="col">State</th>
                <th scope="col">Device</th>
                <th scope="col">Holder</th>
                <th scope="col">Last word</th>
                <th scope="col">
                  <button type="button" className="chip" aria-pressed={flat} onClick={() => set('order', flat ? undefined : 'lateness')}>
                    Age of the newest good backup{flat ? ', latest first' : ''}
                  </button>
                  <RulerAxis />
                </th>
                <th scope="col">Plan</th>
                <th scope="col" className="num">
                  Holds
                </th>
              </tr>
            </thead>
            <tbody>
              {flat || standing
                ? devices.data.results.map((row) => <Row key={row.id} row={row} />)
                : byTeam(devices.data.results).map((group) => <Team key={group.team} group={group} open={Boolean(words)} partial={devices.data.count > PAGE} />)}
            </tbody>
          </table>
        )}
        <Pager page={page} pageSize={PAGE} count={devices.data?.count ?? 0} onPage={(next) => set('page', String(next))} />
      </div>
      <p className="quiet mt-2">● newest good backup · the stroke is what was promised · the line turns red where it is older than that.</p>
    </>
  );
}

function Team({ group, open: openAtFirst, partial }: { group: TeamGroup; open: boolean; partial: boolean }) {
  const now = useNow();
  const [opened, setOpened] = useState(false);
  const open = opened || openAtFirst;
  const all = group.exceptions.length + group.onTime.length;
  return (
    <>
      <tr className="team">
        <td colSpan={4}>
          {group.team} <span className="quiet fw-normal">{counted(all, 'device')}{partial && ' on this page'}</span>
        </td>
        <td>{!open && <RulerStrip newest={group.onTime.flatMap((row) => (row.newest_at ? [row.newest_at] : []))} now={now} />}</td>
        <td>
          {group.onTime.length > 0 && (
            <button type="button" aria-expanded={open} onClick={() => setOpened(!opened)}>
              {group.onTime.length} on time
            </button>
          )}
        </td>
        <td className="num">
          <Bytes count={group.heldBytes} />
        </td>
      </tr>
      {group.exceptions.map((row) => (
        <Row key={row.id} row={row} />
      ))}
      {open && group.onTime.map((row) => <Row key={row.id} row={row} />)}
    </>
  );
}

function Row({ row }: { row: DeviceRow }) {
  const now = useNow();
  return (
    <tr className="linked">
      <td>
        <Mark look={STANDINGS[row.standing]} />
      </td>
      <td className="nowrap">
        <Link className="title-link" to={`/devices/${row.id}`}>
          {row.name}
        </Link>
      </td>
      <td className="nowrap">{row.holder}</td>
      <td className="quiet last-word">{lastWord(row) || (row.newest_at ? <>came <Age at={row.newest_at} /></> : '')}</td>
      <td>
        <AgeRuler newestAt={row.newest_at} promiseSeconds={row.promise_seconds} now={now} />
      </td>
      <td className="nowrap">{row.plan_name || <span className="quiet">none</span>}</td>
      <td className="num">
        <Bytes count={row.held_bytes} />
      </td>
    </tr>
  );
}
