/** The rows of a night as a table. */
import { Link } from 'react-router';

import { Mark, RUN_STATES } from '../../ui/Mark';
import { TimeOnly } from '../../ui/Office';
import { Table, type Column } from '../../ui/Table';
import type { NightRow } from './night';

const COLUMNS: Column<NightRow>[] = [
  {
    head: 'Device',
    className: 'nowrap',
    cell: (row) => (
      <>
        <Link className="title-link" to={`/devices/${row.device_id}`}>
          {row.device_name}
          <span className="visually-hidden">, {row.holder}</span>
        </Link>{' '}
        <span className="quiet" aria-hidden="true">
          {row.holder}
        </span>
      </>
    ),
  },
  { head: 'Plan', className: 'nowrap', cell: (row) => row.plan },
  { head: 'Lined up', className: 'nowrap', cell: (row) => <LinedUp row={row} /> },
  { head: 'Outcome', cell: (row) => <Outcome row={row} /> },
  { head: 'Ran', className: 'nowrap', cell: (row) => <Ran row={row} /> },
  { head: 'Cause', className: 'last-word', cell: (row) => row.cause },
];

export function NightTable({ rows }: { rows: NightRow[] }) {
  return (
    <div className="scroll">
      <Table className="dense" columns={COLUMNS} rows={rows} keyOf={(row, n) => `${row.device_id} ${n}`} />
    </div>
  );
}

function LinedUp({ row }: { row: NightRow }) {
  return (
    <span>
      {row.planned_start && row.planned_end ? (
        <>
          <TimeOnly at={row.planned_start} /> to <TimeOnly at={row.planned_end} />
        </>
      ) : (
        <span className="quiet">by hand</span>
      )}
      {!row.fits && <span className="tone-late"> does not fit</span>}
    </span>
  );
}

function Outcome({ row }: { row: NightRow }) {
  if (!row.state) return <span className="quiet">not yet</span>;
  if (!row.run_id) return <Mark look={RUN_STATES[row.state]} />;
  return (
    <Link className="quiet-link" to={`/history/${row.run_id}`}>
      <Mark look={RUN_STATES[row.state]} />
      <span className="visually-hidden">
        : the run of {row.device_name}, {row.holder}
      </span>
    </Link>
  );
}

function Ran({ row }: { row: NightRow }) {
  if (!row.started_at) return null;
  return (
    <span>
      <TimeOnly at={row.started_at} />
      {row.finished_at && (
        <>
          {' '}
          to <TimeOnly at={row.finished_at} />
        </>
      )}
    </span>
  );
}
