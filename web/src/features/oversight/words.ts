/** Grouping and wording for Today and Devices. */
import type { Schemas } from '../../api/client';

export type DeviceRow = Schemas['DeviceRow'];

export interface TeamGroup {
  team: string;
  exceptions: DeviceRow[];
  onTime: DeviceRow[];
  heldBytes: number;
}

/** Devices by team; within a team, everything that is on time apart from what is not. */
export function byTeam(rows: DeviceRow[]): TeamGroup[] {
  const teams = new Map<string, TeamGroup>();
  for (const row of rows) {
    const team = row.team || 'Without a team';
    const group = teams.get(team) ?? { team, exceptions: [], onTime: [], heldBytes: 0 };
    (row.standing === 'on_time' ? group.onTime : group.exceptions).push(row);
    group.heldBytes += row.held_bytes;
    teams.set(team, group);
  }
  return [...teams.values()].sort((a, b) => a.team.localeCompare(b.team));
}

/** The last thing that is known of a device, in a few words. */
export function lastWord(row: DeviceRow): string {
  if (row.active_run) return row.active_cause ? `waiting to try again: ${row.active_cause}` : 'a run is under way';
  if (row.standing === 'lost') return 'lost';
  if (row.standing === 'retired') return 'retired';
  if (row.last_state && !['complete', 'partial'].includes(row.last_state)) return row.last_cause ?? '';
  return '';
}
