// Around each file of tests: what a test mounted goes when it ends, and what it put off is never done. Files share one window, and
// what is saved a moment later would be asked of another file's server.
import { disableAutoUnmount, enableAutoUnmount } from '@vue/test-utils';
import { afterAll, afterEach } from 'vitest';

const waiting = new Set<ReturnType<typeof setTimeout>>();
const plain = globalThis.setTimeout;
globalThis.setTimeout = ((...what: Parameters<typeof setTimeout>) => {
  const timer = plain(...what);
  waiting.add(timer);
  return timer;
}) as typeof setTimeout;
afterEach(() => {
  waiting.forEach((timer) => {
    clearTimeout(timer);
  });
  waiting.clear();
});
afterAll(() => {
  globalThis.setTimeout = plain;
});
disableAutoUnmount();
enableAutoUnmount(afterEach);
