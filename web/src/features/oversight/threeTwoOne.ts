/** 3-2-1 in words: what is missing, the step that mends it, and the evidence. */
import type { Schemas } from '../../api/client';
import { counted } from '../../ui/format';

type Row = Schemas['ThreeTwoOneRow'];
type Lack = Row['lacks'][number];
type Evidence = Schemas['AuditEvidence'];

const WORDS: Record<Lack, string> = {
  backup: 'any backup',
  copies: 'a third copy',
  media: 'a second medium',
  off_site: 'one off site',
  check: 'a check in the last 30 days',
};

export const lackWords = (lack: Lack): string => WORDS[lack];

export const LACKS = [
  { value: '', label: 'whatever is missing' },
  { value: 'any', label: 'something is missing' },
  { value: 'backup', label: 'no backup' },
  { value: 'copies', label: 'a third copy' },
  { value: 'off_site', label: 'one off site' },
  { value: 'media', label: 'a second medium' },
  { value: 'check', label: 'a check' },
] as const;

/** Where the one step lies that mends the first lack; null where nothing can be done from here. */
export function stepOf(row: Pick<Row, 'step' | 'device_id' | 'plan_id'>): { to: string; says: string } | null {
  switch (row.step) {
    case 'run':
      return { to: `/devices/${row.device_id}`, says: 'Run now' };
    case 'plan':
      return { to: '/plans', says: 'Give it a plan' };
    case 'target':
      return row.plan_id ? { to: `/plans/${row.plan_id}`, says: 'Give its plan another store' } : null;
    case 'wait':
      return { to: '/storage/copies', says: 'Look what is on its way' };
    case 'check':
      return { to: '/storage', says: 'Have a store read' };
    case 'none':
      return null;
  }
}

const of = (part: number, whole: number): string => `${part} of ${counted(whole, 'device')}`;

/** Titles of CIS Controls v8, from memory. */
export const EVIDENCE: readonly { control: string; says: (told: Evidence) => string }[] = [
  { control: '11.2 Automated backups', says: (told) => `${of(told.planned, told.devices)} follow a plan, ${told.backed_up} have a backup` },
  {
    control: '11.3 Protected recovery data',
    says: (told) => `every store is sealed; of ${of(told.encrypted, told.devices)} the newest backup came encrypted`,
  },
  { control: '11.4 Isolated instance', says: (told) => `${of(told.off_site, told.devices)} have a copy off site` },
  {
    control: '11.5 Tested recovery',
    says: (told) => `${of(told.checked, told.devices)} have a backup that was read again, ${told.drilled} one that was restored on trial`,
  },
];
