/** Removable drives in words: where each is, whose turn it is, what waits for it. */
import type { Schemas } from '../../api/client';
import { counted, iec, plainDay, plural, spoken } from '../../ui/format';

export type Drive = Schemas['Drive'];
export type Rotation = Schemas['Rotation'];

const LOOKS = {
  here: { shape: 'disc', tone: 'ok', word: 'plugged in' },
  parting: { shape: 'arc', tone: 'act', word: 'not yet safe to take away' },
  parted: { shape: 'square', tone: 'ok', word: 'safe to take away' },
  out: { shape: 'ring', tone: 'off', word: 'not plugged in' },
} as const;

/** Its mark and its word; one that missed its turn stands out. */
export function driveLook(drive: Pick<Drive, 'state' | 'overdue_since' | 'twins' | 'trouble'>) {
  if (drive.twins.length > 0) return { shape: 'broken', tone: 'late', word: 'there twice' } as const;
  if (drive.trouble && drive.state === 'here') return { shape: 'broken', tone: 'late', word: 'in trouble' } as const;
  return drive.overdue_since ? ({ shape: 'triangle', tone: 'late', word: 'overdue' } as const) : LOOKS[drive.state];
}

/** Where it is, or what keeps it from being taken away. */
export function driveLine(
  drive: Pick<Drive, 'state' | 'where' | 'rests_in' | 'keeper' | 'hindered_by' | 'pulled_out' | 'trouble'>,
): string {
  if (drive.trouble && drive.state === 'here') return drive.trouble;
  if (drive.state === 'here') return `at ${drive.where}`;
  if (drive.state === 'parting') return drive.hindered_by ? `still: ${drive.hindered_by}` : 'ending what goes on';
  if (drive.state === 'parted') return 'everything lies on it, and nothing holds it';
  const where = [drive.rests_in && `in ${drive.rests_in}`, drive.keeper && `with ${drive.keeper}`].filter(Boolean).join(', ');
  return `${where || 'nobody said where'}${drive.pulled_out ? '; it went without a word and is looked through when it is back' : ''}`;
}

/** Its turn, in one line; empty without a rotation. */
export function turnLine(drive: Pick<Drive, 'turn' | 'has_turn' | 'overdue_since'>): string {
  if (!drive.turn) return '';
  if (drive.overdue_since) return `missed since ${plainDay(drive.overdue_since)}`;
  return drive.has_turn ? `now, until ${plainDay(drive.turn.last)}` : `from ${plainDay(drive.turn.first)}`;
}

/** What happens when it is back, or goes on now. */
export function waitsLine(drive: Pick<Drive, 'owed' | 'owed_bytes' | 'leaving' | 'seconds'>): string {
  const parts = [
    drive.leaving && `${counted(drive.leaving, 'copy goes', 'copies go')} first`,
    drive.owed && `${counted(drive.owed, 'copy', 'copies')}, about ${iec(drive.owed_bytes)}`,
    drive.owed && drive.seconds !== null && `about ${spoken(Math.max(60, drive.seconds))}`,
  ].filter(Boolean);
  return parts.length ? parts.join('; ') : 'nothing';
}

export const onIt = (drive: Pick<Drive, 'copies' | 'devices'>): string =>
  drive.copies === 0 ? 'nothing yet' : `${counted(drive.copies, 'backup')} of ${counted(drive.devices, 'device')}`;

export interface Ahead {
  first: string;
  letter: string;
  name: string;
}

/** The turns of a rotation from the one that goes on, a few of them: days are plain dates. */
export function ahead(rotation: Pick<Rotation, 'id' | 'every_days'>, drives: readonly Drive[], count: number): Ahead[] {
  const mine = drives.filter((one) => one.rotation_id === rotation.id);
  const now = mine.findIndex((one) => one.has_turn);
  const first = mine[now]?.turn?.first;
  if (first === undefined) return [];
  return Array.from({ length: count }, (_, n) => {
    const drive = mine[(now + n) % mine.length];
    const day = new Date(`${first}T12:00:00Z`);
    day.setUTCDate(day.getUTCDate() + n * rotation.every_days);
    return { first: day.toISOString().slice(0, 10), letter: drive?.letter ?? '', name: drive?.name ?? '' };
  });
}

/** A day of this year or the next: its year is left out. */
export const shortDay = (date: string): string => plainDay(date).replace(/ \d{4}$/, '');

export const everyWords = (days: number): string =>
  days === 1
    ? 'every day'
    : days % 7 === 0
      ? days === 7
        ? 'every week'
        : `every ${days / 7} weeks`
      : `every ${days} ${plural(days, 'day')}`;

/** All drives in a sentence. */
export function drivesSentence(drives: readonly Pick<Drive, 'state' | 'overdue_since'>[]): string {
  if (drives.length === 0) return 'No removable drive yet.';
  if (drives.length === 1)
    return drives[0]?.overdue_since
      ? '1 drive, and it has missed its turn.'
      : drives[0]?.state === 'out'
        ? '1 drive, not plugged in.'
        : '1 drive, plugged in.';
  const out = drives.filter((one) => one.state === 'out').length;
  const late = drives.filter((one) => one.overdue_since).length;
  const parts = [`${counted(drives.length, 'drive')}, ${out === drives.length ? 'none' : drives.length - out} of them plugged in.`];
  if (late) parts.push(`${counted(late, 'drive has', 'drives have')} missed ${late === 1 ? 'its' : 'their'} turn.`);
  return parts.join(' ');
}
