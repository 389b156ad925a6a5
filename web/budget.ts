/** What the first screen may cost: the build fails when its script, compressed as it is sent, is larger than that. */
import { brotliCompressSync } from 'node:zlib';

import type { Plugin } from 'vite';

const FIRST = 'TodayScreen';

export function budget(bytes: number): Plugin {
  return {
    name: 'budget',
    generateBundle(_, bundle) {
      const chunks = new Map(Object.values(bundle).flatMap((one) => (one.type === 'chunk' ? [[one.fileName, one]] : [])));
      const needed = new Set<string>();
      const need = (name: string): void => {
        if (needed.has(name)) return;
        needed.add(name);
        chunks.get(name)?.imports.forEach(need);
      };
      for (const chunk of chunks.values()) if (chunk.isEntry || chunk.name === FIRST) need(chunk.fileName);
      if (![...chunks.values()].some((chunk) => chunk.name === FIRST)) this.error(`there is no chunk ${FIRST} to weigh`);
      const sent = [...needed].reduce((sum, name) => sum + brotliCompressSync(chunks.get(name)?.code ?? '').length, 0);
      const says = `the first screen's script is ${sent} bytes compressed, of ${bytes} allowed`;
      if (sent > bytes) this.error(`${says}: load what it does not need later`);
      this.info(says);
    },
  };
}
