/** Columns of the devices list that somebody may choose, and where the choice is kept: in the address. */
import { iec, plainDay } from '../../ui/format';
import type { DeviceRow } from './words';

export interface Column {
  code: string;
  label: string;
  order?: string;
  numeric?: boolean;
  text: (row: DeviceRow) => string;
}

const full = (row: DeviceRow): string =>
  row.storage_total_bytes
    ? `${Math.round(((row.storage_used_bytes ?? 0) * 100) / row.storage_total_bytes)} % of ${iec(row.storage_total_bytes)}`
    : '–';

export const EXTRA_COLUMNS: Column[] = [
  { code: 'system', label: 'System', text: (row) => `${row.family_label} ${row.os_version}`.trim() },
  { code: 'model', label: 'Model', text: (row) => `${row.make} ${row.model}`.trim() },
  { code: 'serial', label: 'Serial', text: (row) => row.serial || '–' },
  { code: 'tag', label: 'Asset tag', text: (row) => row.asset_tag || '–' },
  { code: 'full', label: 'How full', order: 'full', numeric: true, text: full },
  { code: 'link', label: 'Link', text: (row) => row.link_label },
  { code: 'bought', label: 'Purchased', text: (row) => (row.purchased_on ? plainDay(row.purchased_on) : '–') },
  { code: 'handed', label: 'Handed over', text: (row) => (row.handed_over_on ? plainDay(row.handed_over_on) : '–') },
  { code: 'note', label: 'Note', text: (row) => row.note },
];

export const DEVICE_ORDERS = ['lateness', 'name', 'holder', 'team', 'age', 'held', 'full', 'seen'] as const;

export const ORDERS: { value: (typeof DEVICE_ORDERS)[number]; label: string }[] = [
  { value: 'lateness', label: 'by lateness' },
  { value: 'name', label: 'by name' },
  { value: 'holder', label: 'by holder' },
  { value: 'team', label: 'by team' },
  { value: 'age', label: 'oldest backup first' },
  { value: 'held', label: 'most stored first' },
  { value: 'full', label: 'fullest first' },
  { value: 'seen', label: 'longest unseen first' },
];

/** Columns named in the address; unknown ones are left out. */
export const chosenColumns = (written: string | null): Column[] => {
  const codes = (written ?? '').split(',');
  return EXTRA_COLUMNS.filter((column) => codes.includes(column.code));
};

/** A column put in or taken out, as the address writes it. */
export const toggledColumn = (written: string | null, code: string): string => {
  const codes = chosenColumns(written).map((column) => column.code);
  const next = codes.includes(code) ? codes.filter((one) => one !== code) : [...codes, code];
  return EXTRA_COLUMNS.map((column) => column.code)
    .filter((one) => next.includes(one))
    .join(',');
};
