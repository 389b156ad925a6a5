/** `1.5` → bytes; empty for no limit. What is no number becomes 0, which the server refuses with a reason. */
export function gibToBytes(text: string): number | null {
  const trimmed = text.trim().replace(',', '.');
  if (!trimmed) return null;
  const value = Number(trimmed);
  return Number.isFinite(value) ? Math.round(value * 1024 ** 3) : 0;
}

/** A recovery code in two lines of three groups, so that it can be copied by hand. */
export function codeLines(code: string): string[] {
  const groups = code.split('-');
  return [groups.slice(0, 3).join('-'), groups.slice(3).join('-')];
}
