/** Grouping and wording for Today and Devices. */
import type { Schemas } from '../../api/client';

export type DeviceRow = Schemas['DeviceRow'];
export type TeamSum = Schemas['TeamSum'];

export interface TeamGroup {
  sum: TeamSum;
  rows: DeviceRow[];
}

/** The rows of this page under the teams that the server summed up; teams whose rows lie on another page stand with none. */
export function byTeam(rows: DeviceRow[], teams: TeamSum[]): TeamGroup[] {
  return teams.map((sum) => ({ sum, rows: rows.filter((row) => row.team_id === sum.id) }));
}

/** What the last run, or the lack of one, says of a device, in a few words; nothing when it simply succeeded. */
export function lastRun(row: DeviceRow): string {
  if (row.active_run) return row.active_cause ? `tries again: ${row.active_cause}` : 'a run is under way';
  if (row.standing === 'lost') return 'lost';
  if (row.standing === 'retired') return 'retired';
  if (row.device_state === 'in_repair') return 'in repair';
  if (row.device_state === 'left') return 'left behind';
  if (row.device_state === 'away') return row.away_until ? `away until ${row.away_until}` : 'away';
  if (row.link === 'none') return 'in the register only, not linked yet';
  if (row.link === 'agent' && !row.paired) return 'not paired';
  if (row.accepted === false) return 'its holder has not said yes';
  if (row.last_state && !['complete', 'partial'].includes(row.last_state)) return row.last_cause ?? '';
  return '';
}
