/** The rows of the devices list: a head, a team with what is on time folded into one strip, a device. */
import { useState } from 'react';
import { Link } from 'react-router';

import { problemOf } from '../../api/client';
import { useDevices, type DevicesWanted } from '../../api/queries';
import { DeviceRuler } from '../../parts/DeviceRuler';
import { RulerAxis, RulerStrip } from '../../ui/AgeRuler';
import { Bytes } from '../../ui/Bytes';
import { counted, grouped } from '../../ui/format';
import { Mark, STANDINGS } from '../../ui/Mark';
import { Age, useNow } from '../../ui/Office';
import { Pager } from '../../ui/Pager';
import { Failed, Loading } from '../../ui/States';
import type { Column } from './columns';
import { lastRun, type DeviceRow, type TeamGroup } from './words';

/** On one page of a team's devices that are on time. */
const ON_TIME = 100;

export function DeviceColumns({ columns, choosing }: { columns: Column[]; choosing: boolean }) {
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
        <th scope="col">Last run</th>
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
          Stored
        </th>
      </tr>
    </thead>
  );
}

export interface Shared {
  columns: Column[];
  choice: { chosen: ReadonlySet<string>; toggle: (id: string) => void } | undefined;
  /** They are shown because they need a person: each leads to its steps. */
  steps?: boolean;
}

export function TeamRows({
  group,
  folded,
  columns,
  choice,
  wanted,
}: Shared & { group: TeamGroup; folded: boolean; wanted: DevicesWanted }) {
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
              {grouped(sum.on_time)} on time<span className="visually-hidden"> in {sum.team || 'no team'}</span>
            </button>
          )}
        </td>
        <td className="num">
          <Bytes count={sum.held_bytes} />
        </td>
      </tr>
      {group.rows.map((row) => (
        <DeviceLine key={row.id} row={row} columns={columns} choice={choice} />
      ))}
      {open && <OnTime team={sum.id ?? 0} wanted={wanted} columns={columns} choice={choice} />}
    </>
  );
}

function OnTime({ team, wanted, columns, choice }: Shared & { team: number; wanted: DevicesWanted }) {
  const [page, setPage] = useState(1);
  const devices = useDevices({ ...wanted, team, standing: 'on_time', order: 'name', page, page_size: ON_TIME });
  const columnsInAll = 7 + columns.length + (choice ? 1 : 0);
  if (!devices.data)
    return (
      <tr>
        <td colSpan={columnsInAll}>
          {devices.isLoadingError ? (
            <Failed problem={problemOf(devices.error)} onRetry={() => void devices.refetch()} />
          ) : (
            <Loading what="what is on time" />
          )}
        </td>
      </tr>
    );
  return (
    <>
      {devices.data.results.map((row) => (
        <DeviceLine key={row.id} row={row} columns={columns} choice={choice} />
      ))}
      {devices.data.count > ON_TIME && (
        <tr>
          <td colSpan={columnsInAll}>
            <Pager page={page} pageSize={ON_TIME} count={devices.data.count} onPage={setPage} />
          </td>
        </tr>
      )}
    </>
  );
}

export function DeviceLine({ row, columns, choice, steps = false }: Shared & { row: DeviceRow }) {
  return (
    <tr className="linked">
      {choice && (
        <td>
          <input
            type="checkbox"
            aria-label={`Choose ${row.name} of ${row.holder}`}
            checked={choice.chosen.has(row.id)}
            onChange={() => choice.toggle(row.id)}
          />
        </td>
      )}
      <td data-label="State">
        <Mark look={STANDINGS[row.standing]} />
      </td>
      <td className="nowrap" data-label="Device">
        <Link className="title-link" to={`/devices/${row.id}${steps ? '#ready' : ''}`}>
          {row.name}
          <span className="visually-hidden"> of {row.holder}</span>
        </Link>
      </td>
      <td className="nowrap" data-label="Holder">
        <Link className="quiet-link" to={`/holders/${row.holder_id}`}>
          {row.holder}
        </Link>
      </td>
      <td className="quiet last-word" data-label="Last run">
        {lastRun(row) ||
          (row.newest_at ? (
            <>
              succeeded <Age at={row.newest_at} />
            </>
          ) : (
            ''
          ))}
      </td>
      <td data-label="Newest backup">
        <DeviceRuler row={row} />
      </td>
      <td className="nowrap" data-label="Plan">
        {row.plan_name || <span className="quiet">none</span>}
      </td>
      {columns.map((column) => (
        <td key={column.code} className={column.numeric ? 'num extra' : 'extra'} data-label={column.label}>
          {column.text(row)}
        </td>
      ))}
      <td className="num" data-label="Stored">
        <Bytes count={row.held_bytes} />
      </td>
    </tr>
  );
}
