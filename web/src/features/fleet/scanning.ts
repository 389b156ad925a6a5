/** What a scanned text says: `attic-pair:DEVICE:CODE`, as devices show it. */
export function codeIn(text: string, device: string): { code: string | null; says: string } {
  const [word, shown, code] = text.split(':');
  if (word !== 'attic-pair' || !shown || !code || !/^[A-Z0-9]{8}$/.test(code)) return { code: null, says: 'This is no pairing code.' };
  if (shown !== device) return { code: null, says: 'This code belongs to another device. Choose that one on the left.' };
  return { code, says: `Read: ${code}` };
}
