/** Drills in words: how they ended, what came back, what they open. */
import type { Schemas } from '../../api/client';
import { counted, grouped, iec, spoken } from '../../ui/format';

type Drill = Schemas['Drill'];
type Rules = Schemas['DrillRules'];

export const DRILL_STATES = {
  waiting: { shape: 'ring', tone: 'act', word: 'waits for its turn' },
  running: { shape: 'arc', tone: 'act', word: 'restoring' },
  right: { shape: 'disc', tone: 'ok', word: 'came back right' },
  wrong: { shape: 'triangle', tone: 'late', word: 'did not come back right' },
  failed: { shape: 'broken', tone: 'soon', word: 'proved nothing' },
  stopped: { shape: 'dash', tone: 'off', word: 'stopped' },
} as const;

export const isActive = (drill: Pick<Drill, 'state'>): boolean => drill.state === 'waiting' || drill.state === 'running';

type Came = Pick<Drill, 'items' | 'of_items' | 'size_bytes' | 'of_bytes'>;

/** How much of the backup was restored and is right: everything, or how large a part. */
export function came({ items, of_items, size_bytes, of_bytes }: Came): string {
  if (items === of_items) return `all ${counted(of_items, 'item')}, ${iec(of_bytes)}`;
  return `${counted(items, 'item')} of ${grouped(of_items)}, ${iec(size_bytes)} of ${iec(of_bytes)}`;
}

/** Why it was not everything; empty when it was, or when something was wrong, which is told by itself. */
export function whyNotAll(drill: Came & Pick<Drill, 'state' | 'out_of_time'>): string {
  if (drill.state !== 'right' || drill.items === drill.of_items) return '';
  return drill.out_of_time ? 'Its time was over.' : 'It was drawn by chance, something of every kind.';
}

export const openedWords = (opened: Drill['opened']): string =>
  opened.length === 0 ? 'nothing in it has a form that is tried here' : opened.map((one) => `${one.count} ${one.label}`).join(', ');

/** How the office drills by itself. */
export function rulesSentence(rules: Rules): string {
  if (rules.a_day === 0) return 'Nobody has a turn by itself; a drill is only carried out when somebody asks.';
  const limit = rules.limit_bytes_per_second ? `, no faster than ${iec(rules.limit_bytes_per_second)}/s` : '';
  const size = `${iec(rules.most_bytes)} and ${spoken(rules.most_minutes * 60)} each at the most${limit}`;
  const wanted = rules.wanted_days ? ` One that was not proven for ${counted(rules.wanted_days, 'day')} needs a person.` : '';
  return `${counted(rules.a_day, 'device has', 'devices have')} a turn each day, ${size}.${wanted}`;
}
