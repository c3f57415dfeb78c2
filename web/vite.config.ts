import vue from '@vitejs/plugin-vue';
import { fileURLToPath } from 'node:url';
import { defineConfig } from 'vite';

export default defineConfig(({ command }) => ({
  // Django serves the built files below /static/.
  base: command === 'build' ? '/static/' : '/',
  plugins: [vue()],
  resolve: { alias: { '@': fileURLToPath(new URL('./src', import.meta.url)) } },
  // The server replaces this mark by each answer's own nonce.
  html: { cspNonce: '__CSP_NONCE__' },
  worker: { format: 'es' },
  build: { chunkSizeWarningLimit: 1200, assetsInlineLimit: 0 },
  server: { proxy: { '/api': 'http://127.0.0.1:8400' } },
}));
