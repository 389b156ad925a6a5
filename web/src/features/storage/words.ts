/** The groups of a recovery code, each with its place, so that they can be laid out and copied by hand. */
export function codeGroups(code: string): { place: number; text: string }[] {
  return code.split('-').map((text, place) => ({ place, text }));
}

/** A copy that is neither simply there nor simply gone, in a word or two. */
export function copyStateWords(state: string): string {
  const words: Record<string, string> = { copying: 'being copied', failed: 'not copied', missing: 'missing', removing: 'being removed' };
  return words[state] ?? state;
}
