/** Words of the office's pages. */
import { counted } from '../../ui/format';

export const ROLES = [
  { value: 'operator', label: 'operator: runs and restores' },
  { value: 'auditor', label: 'auditor: reads' },
  { value: 'administrator', label: 'administrator: everything' },
];

const unitOf = (seconds: number): [number, string] => {
  if (seconds >= 86_400) return [seconds / 86_400, 'day'];
  if (seconds >= 3600) return [seconds / 3600, 'hour'];
  return seconds >= 60 ? [seconds / 60, 'minute'] : [seconds, 'second'];
};

/** `3 seconds ahead of ours`, `2 hours behind ours`, `as ours`: how far another clock is from the server's. */
export function offWords(seconds: number): string {
  const size = Math.abs(seconds);
  if (size < 1) return 'as ours';
  const [count, unit] = unitOf(size);
  const whole = Math.round(count);
  return `${counted(whole, unit)} ${seconds > 0 ? 'ahead of ours' : 'behind ours'}`;
}

export function keyPlaceWords(kind: string): string {
  const words: Record<string, string> = {
    beside: 'beside the data, on the same disk:',
    medium: 'on a medium of its own:',
    credential: 'with the service manager:',
    typed: 'in memory only; it was typed at the start',
  };
  return words[kind] ?? kind;
}

interface Witness {
  name: string;
  kind: string;
  off_seconds: number;
  at: string;
}

/** Who was heard: everybody by name, but devices as one line, with the one in the middle and the newest time. */
export function heard(witnesses: Witness[]): Witness[] {
  const devices = witnesses.filter((one) => one.kind === 'device');
  const others = witnesses.filter((one) => one.kind !== 'device');
  if (devices.length === 0) return others;
  const ordered = [...devices].sort((one, other) => one.off_seconds - other.off_seconds);
  const middle = ordered[Math.floor((ordered.length - 1) / 2)];
  const newest = devices.reduce((last, one) => (one.at > last ? one.at : last), '');
  const name = `${counted(devices.length, 'device')}${devices.length === 1 ? '' : ', the one in the middle'}`;
  return [...others, { name, kind: 'device', off_seconds: middle?.off_seconds ?? 0, at: newest }];
}
