/** An answer that comes line by line, each line one JSON object: handed on as soon as it is there. */
export async function eachLine(body: ReadableStream<Uint8Array>, take: (line: unknown) => void): Promise<void> {
  const reader = body.pipeThrough(new TextDecoderStream() as unknown as TransformStream<Uint8Array, string>).getReader();
  let rest = '';
  for (;;) {
    const { done, value } = await reader.read();
    rest += value ?? '';
    const lines = rest.split('\n');
    rest = done ? '' : (lines.pop() ?? '');
    for (const line of lines) if (line.trim()) take(JSON.parse(line) as unknown);
    if (done) return;
  }
}
