/** Words of the office's pages. */

export const ROLES = [
  { value: 'operator', label: 'operator: runs and restores' },
  { value: 'auditor', label: 'auditor: reads' },
  { value: 'administrator', label: 'administrator: everything' },
];

/** `3 seconds ahead of ours`, `2 hours behind ours`, `as ours`: how far another clock is from the server's. */
export function offWords(seconds: number): string {
  const size = Math.abs(seconds);
  if (size < 1) return 'as ours';
  const [count, unit] = size >= 86_400 ? [size / 86_400, 'day'] : size >= 3600 ? [size / 3600, 'hour'] : size >= 60 ? [size / 60, 'minute'] : [size, 'second'];
  const whole = Math.round(count);
  return `${whole} ${unit}${whole === 1 ? '' : 's'} ${seconds > 0 ? 'ahead of ours' : 'behind ours'}`;
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
