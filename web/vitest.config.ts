import { mergeConfig } from 'vite';
import { configDefaults, defineConfig } from 'vitest/config';

import base from './vite.config';

// These have servers or stages of their own in place of the harness's, and need modules of their own: --mode alone.
const ALONE = [
  ...['arrivals/arrivals', 'arrivals/questions', 'widgets/figures'].map(
    (name) => `src/parts/${name}.test.ts`,
  ),
  ...['src/stores/uploads.test.ts', 'src/stage/stage.test.ts'],
];

export default defineConfig((env) =>
  mergeConfig(base(env), {
    test: {
      pool: 'threads',
      // A busy machine takes its time.
      testTimeout: 60_000,
      setupFiles: ['src/tests/setup.ts'],
      // Importing takes most of the time of a page's test: all other files share what they import.
      ...(env.mode === 'alone'
        ? { include: ALONE }
        : { isolate: false, exclude: [...configDefaults.exclude, ...ALONE] }),
    },
  }),
);
