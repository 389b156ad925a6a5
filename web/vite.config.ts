import react from '@vitejs/plugin-react';
import { compression } from 'vite-plugin-compression2';
import { defineConfig } from 'vitest/config';

import { budget } from './budget.ts';

export default defineConfig({
  base: '/static/',
  plugins: [
    react(),
    budget(120_000),
    compression({ algorithms: ['gzip', 'brotliCompress'], include: /\.(js|css|svg|html)$/, exclude: /index\.html$/ }),
  ],
  css: {
    preprocessorOptions: {
      scss: { quietDeps: true, silenceDeprecations: ['import', 'global-builtin', 'color-functions', 'if-function'] },
    },
  },
  build: { target: 'es2022', assetsInlineLimit: 0, manifest: true },
  test: {
    environment: 'jsdom',
    include: ['src/**/*.test.{ts,tsx}'],
    setupFiles: ['src/testing/setup.ts'],
    restoreMocks: true,
    maxWorkers: 2,
    // no test replaces a module: files that share what was loaded need two thirds of the time
    isolate: false,
    // a busy machine only takes longer
    testTimeout: 120_000,
    hookTimeout: 120_000,
    // a browser far from the office: whoever takes its zone for the office's is found out
    env: { TZ: 'Pacific/Auckland' },
  },
});
