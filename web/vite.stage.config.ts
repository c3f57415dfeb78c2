// The stage alone, for tests that hold its light against formulas: `vite build --config vite.stage.config.ts --outDir DIR`.
import { fileURLToPath } from 'node:url';
import { defineConfig } from 'vite';

export default defineConfig({
  resolve: { alias: { '@': fileURLToPath(new URL('./src', import.meta.url)) } },
  define: { 'process.env.NODE_ENV': '"production"' },
  build: {
    lib: { entry: 'src/stage/stage.ts', formats: ['es'], fileName: 'stage' },
    minify: false,
    copyPublicDir: false,
  },
});
