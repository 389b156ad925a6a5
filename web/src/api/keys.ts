/**
 * The register of what is asked of the server, and of what a change touches.
 *
 * Each question's key begins with its subject. An act, and an event of the live line, names the change that it is; the
 * change names the subjects whose answers are no longer true. Nothing is ever asked again "to be sure".
 */
import type { QueryClient } from '@tanstack/react-query';

export const SUBJECTS = [
  'ages',
  'backups',
  'import',
  'imports',
  'causes',
  'clock',
  'closed-days',
  'compare',
  'consequences',
  'copies',
  'coverage',
  'devices',
  'drills',
  'erasures',
  'exceptions',
  'exports',
  'freezes',
  'guides',
  'holders',
  'hooks',
  'inside',
  'journal',
  'kinds',
  'leaving',
  'links',
  'incidents',
  'me',
  'messages',
  'names',
  'night',
  'anomalies',
  'offers',
  'omissions',
  'pauses',
  'plans',
  'preflight',
  'preview',
  'promises',
  'readiness',
  'report',
  'restore',
  'restores',
  'ribbon',
  'run',
  'runs',
  'server-key',
  'signed',
  'ssh-key',
  'stores',
  'teams',
  'today',
  'users',
  'wipe',
  'wishes',
  'zones',
] as const;

export type Subject = (typeof SUBJECTS)[number];

/** A question's key: its subject, then what distinguishes it. */
export const key = <Rest extends readonly unknown[]>(subject: Subject, ...rest: Rest) => [subject, ...rest] as const;

/** What stands on Today, Devices, the ribbon and the night: each run and each setting of a device moves it. */
const STANDING: readonly Subject[] = ['devices', 'today', 'incidents', 'ribbon', 'night', 'teams', 'holders', 'coverage', 'wipe'];

export const CHANGES = {
  /** A run was asked, stopped, began or ended. */
  run: [...STANDING, 'run', 'runs', 'causes', 'backups', 'readiness', 'anomalies', 'omissions', 'stores'],
  /** What a run left out was accepted, or will be taken from now on. */
  omission: [...STANDING, 'omissions', 'run', 'plans'],
  /** Something of a device: its register, holder, state, link. */
  device: [...STANDING, 'links', 'readiness', 'offers', 'names', 'runs', 'plans', 'promises'],
  plan: [...STANDING, 'plans', 'preview', 'consequences', 'backups', 'leaving'],
  pause: [...STANDING, 'pauses', 'plans'],
  /** A store, what it holds, a copy, a check, its passphrase. */
  store: ['stores', 'copies', 'backups', 'today', 'incidents', 'coverage', 'wipe'],
  /** A copy became owed, is under way, arrived or failed. */
  copy: ['copies', 'stores', 'backups', 'coverage', 'wipe', 'today', 'incidents'],
  /** A backup is held, released, doubted, dated anew. */
  backup: [...STANDING, 'backups', 'runs', 'run', 'stores', 'leaving', 'consequences', 'copies'],
  /** An exception from a plan's rule. */
  exception: ['exceptions', 'consequences', 'backups', 'leaving', 'today', 'incidents'],
  /** Something is to be erased on request, is on its way, or is not erased after all. */
  erasure: ['erasures', 'backups', 'leaving', 'inside', 'devices'],
  /** Somebody said that nothing leaves, or lifted it. */
  freeze: ['freezes', 'leaving', 'backups', 'consequences'],
  /** A drill was asked, stopped, began or ended; or how the office drills. */
  drill: ['drills', 'coverage', 'today', 'incidents'],
  restore: ['restore', 'restores', 'exports', 'devices', 'today', 'incidents'],
  /** An archive or a folder that lies on the server. */
  export: ['exports', 'restore', 'restores'],
  /** Old backups brought in from elsewhere. */
  imports: [...STANDING, 'import', 'imports', 'backups', 'runs', 'stores'],
  /** A cause was put off or taken up, an anomaly settled. */
  incident: ['incidents', 'today', 'anomalies', 'devices', 'backups', 'runs', 'run'],
  /** What an account was found to keep, and how much of it is promised. */
  coverage: ['coverage', 'wipe', 'devices', 'today', 'incidents', 'plans'],
  /** A signed answer to "safe to wipe?". */
  answer: ['wipe', 'signed'],
  /** The coming night was lined up anew. */
  line_up: ['night', 'today', 'devices'],
  /** Teams and holders by name. */
  people: ['teams', 'holders', 'names', 'devices', 'today', 'incidents'],
  /** Accounts that sign in. */
  account: ['users', 'me'],
  /** How long records are kept. */
  ages: ['ages'],
  /** The office's name, zone, limits and closed days: every date on every screen may move. */
  office: [...STANDING, 'me', 'plans', 'preview', 'closed-days', 'clock', 'zones', 'promises', 'report', 'runs', 'run', 'backups'],
  /** What is told to whom: mails, hooks, wishes. */
  telling: ['wishes', 'hooks', 'messages'],
  clock: ['clock', 'today', 'incidents'],
} as const satisfies Record<string, readonly Subject[]>;

export type Change = keyof typeof CHANGES;

/** Ask again what a change has made untrue; ends when the screens that are open know it. */
export async function touch(queries: QueryClient, ...changes: readonly Change[]): Promise<void> {
  if (changes.length === 0) return;
  const subjects = new Set<Subject>([...changes.flatMap((change) => CHANGES[change] as readonly Subject[]), 'journal']);
  await Promise.all([...subjects].map((subject) => queries.invalidateQueries({ queryKey: [subject] })));
}
