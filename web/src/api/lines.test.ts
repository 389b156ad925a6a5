// @vitest-environment node

import { expect, test } from 'vitest';

import { eachLine } from './lines';

async function taken(...pieces: string[]): Promise<unknown[]> {
  const lines: unknown[] = [];
  const bytes = new TextEncoder();
  const body = new ReadableStream<Uint8Array>({
    start(stream) {
      for (const piece of pieces) stream.enqueue(bytes.encode(piece));
      stream.close();
    },
  });
  await eachLine(body, (line) => lines.push(line));
  return lines;
}

test.each([
  ['nothing', [], []],
  ['a line a piece', ['{"a":1}\n', '{"a":2}\n'], [{ a: 1 }, { a: 2 }]],
  ['lines cut anywhere', ['{"a"', ':1}\n{"a":', '2}', '\n'], [{ a: 1 }, { a: 2 }]],
  ['a last line that does not end', ['{"a":1}\n{"a":2}'], [{ a: 1 }, { a: 2 }]],
  ['empty lines', ['\n\n{"a":1}\n\n'], [{ a: 1 }]],
])('%s', async (_, pieces, lines) => expect(await taken(...pieces)).toEqual(lines));

test('a letter of several bytes that is cut in the middle', async () => {
  const bytes = new TextEncoder().encode('{"a":"Größe"}\n');
  const lines: unknown[] = [];
  const body = new ReadableStream<Uint8Array>({
    start(stream) {
      stream.enqueue(bytes.slice(0, 9));
      stream.enqueue(bytes.slice(9));
      stream.close();
    },
  });
  await eachLine(body, (line) => lines.push(line));
  expect(lines).toEqual([{ a: 'Größe' }]);
});

test('a line that is no JSON is an error and not passed over', async () => {
  await expect(taken('{"a":1}\nnonsense\n')).rejects.toThrow();
});
