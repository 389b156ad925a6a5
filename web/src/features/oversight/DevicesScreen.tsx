/** Every device: exceptions are rows, what is on time folds into one strip a team on the same ruler. The view lives in the address. */
import { useState } from 'react';
import { Link, useNavigate, useSearchParams } from 'react-router';
import Button from 'react-bootstrap/Button';
import Form from 'react-bootstrap/Form';

import { problemOf } from '../../api/client';
import { useDevices, useMe, usePlans, useTeams } from '../../api/queries';
import { AgeRuler, RulerAxis, RulerStrip } from '../../ui/AgeRuler';
import { Bytes } from '../../ui/Bytes';
import { counted } from '../../ui/format';
import { Mark, STANDINGS } from '../../ui/Mark';
import { Age, useNow } from '../../ui/Office';
import { Pager } from '../../ui/Pager';
import { Empty, Failed, Loading } from '../../ui/States';
import { ChangeMany, LastChange } from './ChangeMany';
import { chosenColumns, EXTRA_COLUMNS, ORDERS, toggledColumn, type Column } from './columns';
import { byTeam, lastWord, type DeviceRow, type TeamGroup } from './words';

const PAGE = 100;
const ORDER = ['late', 'never', 'due_soon', 'no_plan', 'on_time', 'away', 'lost', 'retired'];

export function DevicesScreen() {
  const [params, setParams] = useSearchParams();
  const me = useMe();
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const [choosing, setChoosing] = useState(false);
  const get = (name: string) => params.get(name) ?? undefined;
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
  const order = get('order');
  const words = get('words') ?? '';
  const folded = !order && !get('standing') && !words && !choosing;
  const page = Number(get('page') ?? 1);
  const wanted = { standing: get('standing'), words: words || undefined, team: get('team'), plan: get('plan'), family: get('family'), link: get('link'), holder: get('holder') };
  const devices = useDevices({ ...wanted, order: order ?? 'lateness', fold: folded || undefined, page, page_size: PAGE });
  const columns = chosenColumns(params.get('columns'));
  const all = Object.values(devices.data?.counts ?? {}).reduce((sum, count) => sum + count, 0);
  const toggle = (id: string) =>
    setChosen((before) => {
      const next = new Set(before);
      if (!next.delete(id)) next.add(id);
      return next;
    });
  const choice = choosing ? { chosen, toggle } : undefined;
  const shown = devices.data?.results ?? [];
  const found = devices.data ? devices.data.teams.reduce((sum, team) => sum + team.devices, 0) : 0;
  return (
    <>
      <Head all={all} counts={devices.data?.counts ?? {}} standing={get('standing')} words={words} set={set} mayChange={me.data?.user?.role === 'administrator'} />
      <Filters get={get} set={set} written={params.get('columns')} choosing={choosing} onChoosing={me.data?.user?.role === 'administrator' ? () => { setChoosing(!choosing); setChosen(new Set()); } : undefined} />
      {choosing && <ChangeMany ids={[...chosen]} onAll={() => setChosen(new Set(shown.map((row) => row.id)))} onDone={() => { setChoosing(false); setChosen(new Set()); }} />}
      {me.data?.user?.role === 'administrator' && !choosing && <LastChange />}
      <div className="sheet scroll">
        {devices.isPending && <Loading what="devices" />}
        {devices.isError && <Failed problem={problemOf(devices.error)} onRetry={() => void devices.refetch()} />}
        {devices.data && found === 0 && (
          <Empty>{all === 0 ? 'No device yet. Add the first one, or import a list of them: it takes a minute.' : 'No device matches. Show all, or search for something else.'}</Empty>
        )}
        {devices.data && found > 0 && (
          <table className="rows dense">
            <Columns columns={columns} choosing={choosing} />
            <tbody>
              {folded || order === 'team'
                ? byTeam(shown, devices.data.teams).map((group) => <Team key={group.sum.id ?? 0} group={group} folded={folded} columns={columns} choice={choice} wanted={wanted} />)
                : shown.map((row) => <Row key={row.id} row={row} columns={columns} choice={choice} />)}
            </tbody>
          </table>
        )}
        <Pager page={page} pageSize={PAGE} count={devices.data?.count ?? 0} onPage={(next) => set('page', String(next))} />
      </div>
      <p className="quiet mt-2">
        ● newest good backup · the stroke is what was promised · the line turns red where it is older than that. This view has an address of its own: keep it as a bookmark.
      </p>
    </>
  );
}

interface Setting {
  set: (name: string, value: string | undefined) => void;
}

function Head({ all, counts, standing, words, set, mayChange }: Setting & { all: number; counts: Record<string, number>; standing: string | undefined; words: string; mayChange: boolean }) {
  const navigate = useNavigate();
  return (
    <div className="head mb-1">
      <h1 tabIndex={-1}>Devices</h1>
      <div className="row-end">
        <div className="chips" role="group" aria-label="Show only">
          <button type="button" className={standing ? 'chip' : 'chip on'} aria-pressed={!standing} onClick={() => set('standing', undefined)}>
            {all} all
          </button>
          {ORDER.filter((name) => counts[name]).map((name) => (
            <button type="button" key={name} className={standing === name ? 'chip on' : 'chip'} aria-pressed={standing === name} onClick={() => set('standing', standing === name ? undefined : name)}>
              {counts[name]} <Mark look={STANDINGS[name]} />
            </button>
          ))}
        </div>
        <Form.Control size="sm" type="search" aria-label="Find a device, holder, team, serial or asset tag" placeholder="Find" style={{ width: 120 }} value={words} onChange={(event) => set('words', event.target.value)} />
        {mayChange && <Button onClick={() => void navigate('/devices/add')}>Add a device</Button>}
      </div>
    </div>
  );
}

function Filters({ get, set, written, choosing, onChoosing }: Setting & { get: (name: string) => string | undefined; written: string | null; choosing: boolean; onChoosing: (() => void) | undefined }) {
  const teams = useTeams();
  const plans = usePlans();
  const select = (name: string, label: string, options: { value: string; label: string }[]) => (
    <Form.Select size="sm" aria-label={label} value={get(name) ?? ''} onChange={(event) => set(name, event.target.value || undefined)}>
      <option value="">{label}</option>
      {options.map((option) => (
        <option key={option.value} value={option.value}>
          {option.label}
        </option>
      ))}
    </Form.Select>
  );
  return (
    <div className="filters">
      {select('order', 'Grouped by team, what is on time folded', ORDERS)}
      {select('team', 'Every team', [...(teams.data ?? []).map((team) => ({ value: String(team.id), label: team.name })), { value: '0', label: 'without a team' }])}
      {select('plan', 'Every plan', (plans.data ?? []).map((plan) => ({ value: plan.id, label: plan.name })))}
      {select('link', 'Every link', [{ value: 'agent', label: 'Agent' }, { value: 'folder', label: 'Folder' }, { value: 'sftp', label: 'SFTP' }, { value: 'none', label: 'Not linked yet' }])}
      <details className="drop">
        <summary>Columns</summary>
        <div className="sheet pad">
          {EXTRA_COLUMNS.map((column) => (
            <label key={column.code} className="check">
              <input type="checkbox" checked={chosenColumns(written).some((one) => one.code === column.code)} onChange={() => set('columns', toggledColumn(written, column.code))} />
              {column.label}
            </label>
          ))}
        </div>
      </details>
      <details className="drop">
        <summary>List</summary>
        <div className="sheet pad">
          <p>
            <a href="/api/devices/export?as=csv">Export as CSV</a>
            <br />
            <a href="/api/devices/export?as=json">Export as JSON</a>
          </p>
          <p className="mb-0">
            <Link to="/devices/import">Import a list</Link>
            <br />
            <Link to="/bring-in">Bring in old backups</Link>
            <br />
            <Link to="/teams">Teams and holders</Link>
          </p>
        </div>
      </details>
      {onChoosing && (
        <Button size="sm" variant="outline-primary" aria-pressed={choosing} onClick={onChoosing}>
          {choosing ? 'End choosing' : 'Choose several'}
        </Button>
      )}
    </div>
  );
}

function Columns({ columns, choosing }: { columns: Column[]; choosing: boolean }) {
  return (
    <thead>
      <tr>
        {choosing && (
          <th scope="col">
            <span className="visually-hidden">Chosen</span>
          </th>
        )}
        <th scope="col">State</th>
        <th scope="col">Device</th>
        <th scope="col">Holder</th>
        <th scope="col">Last word</th>
        <th scope="col">
          Age of the newest good backup
          <RulerAxis />
        </th>
        <th scope="col">Plan</th>
        {columns.map((column) => (
          <th key={column.code} scope="col" className={column.numeric ? 'num' : undefined}>
            {column.label}
          </th>
        ))}
        <th scope="col" className="num">
          Holds
        </th>
      </tr>
    </thead>
  );
}

interface Shared {
  columns: Column[];
  choice: { chosen: ReadonlySet<string>; toggle: (id: string) => void } | undefined;
}

function Team({ group, folded, columns, choice, wanted }: Shared & { group: TeamGroup; folded: boolean; wanted: object }) {
  const now = useNow();
  const [open, setOpen] = useState(false);
  const { sum } = group;
  return (
    <>
      <tr className="team">
        <td colSpan={choice ? 5 : 4}>
          {sum.team || 'Without a team'} <span className="quiet fw-normal">{counted(sum.devices, 'device')}</span>
        </td>
        <td>{folded && !open && <RulerStrip newest={sum.newest} now={now} />}</td>
        <td colSpan={1 + columns.length}>
          {folded && sum.on_time > 0 && (
            <button type="button" aria-expanded={open} onClick={() => setOpen(!open)}>
              {sum.on_time} on time
            </button>
          )}
        </td>
        <td className="num">
          <Bytes count={sum.held_bytes} />
        </td>
      </tr>
      {group.rows.map((row) => (
        <Row key={row.id} row={row} columns={columns} choice={choice} />
      ))}
      {open && <OnTime team={sum.id ?? 0} wanted={wanted} columns={columns} choice={choice} />}
    </>
  );
}

function OnTime({ team, wanted, columns, choice }: Shared & { team: number; wanted: object }) {
  const devices = useDevices({ ...wanted, team: String(team), standing: 'on_time', page_size: 200 });
  return devices.data?.results.map((row) => <Row key={row.id} row={row} columns={columns} choice={choice} />);
}

function Row({ row, columns, choice }: Shared & { row: DeviceRow }) {
  const now = useNow();
  return (
    <tr className="linked">
      {choice && (
        <td>
          <input type="checkbox" aria-label={`Choose ${row.name} of ${row.holder}`} checked={choice.chosen.has(row.id)} onChange={() => choice.toggle(row.id)} />
        </td>
      )}
      <td>
        <Mark look={STANDINGS[row.standing]} />
      </td>
      <td className="nowrap">
        <Link className="title-link" to={`/devices/${row.id}`}>
          {row.name}
        </Link>
      </td>
      <td className="nowrap">
        <Link className="quiet-link" to={`/holders/${row.holder_id}`}>
          {row.holder}
        </Link>
      </td>
      <td className="quiet last-word">
        {lastWord(row) ||
          (row.newest_at ? (
            <>
              came <Age at={row.newest_at} />
            </>
          ) : (
            ''
          ))}
      </td>
      <td>
        <AgeRuler newestAt={row.newest_at} promiseSeconds={row.promise_seconds} now={now} />
      </td>
      <td className="nowrap">{row.plan_name || <span className="quiet">none</span>}</td>
      {columns.map((column) => (
        <td key={column.code} className={column.numeric ? 'num extra' : 'extra'}>
          {column.text(row)}
        </td>
      ))}
      <td className="num">
        <Bytes count={row.held_bytes} />
      </td>
    </tr>
  );
}
