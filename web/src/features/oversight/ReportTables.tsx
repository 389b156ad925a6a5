/** The tables of the month on paper: teams, devices, causes, stores. */
import type { Schemas } from '../../api/client';
import { counted, grouped, iec } from '../../ui/format';
import { Empty } from '../../ui/States';
import { Table, type Column } from '../../ui/Table';
import { percent, type Report } from './report';

const TEAMS: Column<Report['teams'][number]>[] = [
  { head: 'Team', cell: (row) => row.team || 'without a team' },
  { head: 'Kept', number: true, cell: (row) => percent(row.share) },
  { head: 'Device mornings', number: true, cell: (row) => grouped(row.share.owed) },
];

const WORST: Column<Report['worst'][number]>[] = [
  {
    head: 'Device',
    cell: (row) => (
      <>
        {row.device} <span className="quiet">{row.holder}</span>
      </>
    ),
  },
  { head: 'Outside', number: true, cell: (row) => `${row.share.owed - row.share.kept} of ${row.share.owed} mornings outside` },
];

const CAUSES: Column<Report['causes'][number]>[] = [
  { head: 'Cause', cell: (row) => row.says || row.code },
  { head: 'Runs', number: true, cell: (row) => counted(row.runs, 'run') },
  { head: 'Devices', number: true, cell: (row) => counted(row.devices, 'device') },
];

const STORES: Column<Report['stores'][number]>[] = [
  { head: 'Store', cell: (row) => row.name },
  { head: 'Stored now', number: true, cell: (row) => iec(row.stored_bytes) },
  { head: 'Brought by the month', number: true, cell: (row) => iec(row.new_bytes) },
  { head: 'Runs', number: true, cell: (row) => grouped(row.runs) },
];

export function ReportTables({ found }: { found: Schemas['Report'] }) {
  return (
    <>
      <h2>Teams</h2>
      {found.teams.length === 0 ? (
        <Empty>No morning of this month is on record.</Empty>
      ) : (
        <Table columns={TEAMS} rows={found.teams} keyOf={(row) => row.team} />
      )}
      <h2>Devices that were outside most often</h2>
      {found.worst.length === 0 ? (
        <p>None: every device was inside its promise on every morning on record.</p>
      ) : (
        <Table headless columns={WORST} rows={found.worst} keyOf={(row) => row.device + row.holder} />
      )}
      <h2>Why runs did not succeed</h2>
      {found.causes.length === 0 ? (
        <p>Every run succeeded.</p>
      ) : (
        <Table headless columns={CAUSES} rows={found.causes} keyOf={(row) => row.code} />
      )}
      <h2>Growth</h2>
      <Table columns={STORES} rows={found.stores} keyOf={(row) => row.name} />
    </>
  );
}
