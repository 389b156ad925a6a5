/** A device's own cloud backup in words: all of it as the device says. */
import type { Schemas } from '../api/client';
import { iec } from '../ui/format';

export type OwnCloud = Schemas['OwnCloud'];

const STATES: Record<OwnCloud['state'], string> = { on: 'on', off: 'switched off', off_by_policy: 'off by policy' };

export const ownStateWord = (state: OwnCloud['state']): string => STATES[state];

/** How full the account is, in one line; empty where it does not tell. */
export function accountLine(told: Pick<OwnCloud, 'used_bytes' | 'allowed_bytes' | 'percent'>): string {
  if (told.used_bytes === null) return '';
  if (told.percent === null) return `${iec(told.used_bytes)} used`;
  const full = told.percent >= 100 ? ': it is full' : told.percent >= 90 ? ': nearly full' : '';
  return `${iec(told.used_bytes)} of ${iec(told.allowed_bytes ?? 0)}, ${told.percent} %${full}`;
}

/** What stands before the steps that make room in an account: how many of them may suffice. */
export function roomLine(room: { wanted_bytes: number | null; proposed: number; suffices: boolean; steps: readonly unknown[] }): string {
  if (!room.wanted_bytes || room.steps.length === 0) return '';
  const enough = room.suffices ? 'may suffice' : 'may not suffice';
  return `${iec(room.wanted_bytes)} less would leave a fifth of it free; the first ${room.proposed === 1 ? 'step' : `${room.proposed} steps`} ${enough}.`;
}

/** What a row of the history tells. */
export function toldLine(told: OwnCloud | null): string {
  if (told === null) return 'has none';
  return [ownStateWord(told.state), told.account && `into ${told.account}`, accountLine(told)].filter(Boolean).join('; ');
}
