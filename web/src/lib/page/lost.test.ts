// @vitest-environment happy-dom
// A page whose code is gone is opened by loading the application anew, once.
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { createMemoryHistory, createRouter } from 'vue-router';

import { findLost } from './lost';

beforeEach(() => sessionStorage.clear());

function begin(error: Error) {
  const router = createRouter({
    history: createMemoryHistory(),
    routes: [
      { path: '/', component: { template: '<i />' } },
      { path: '/repack', component: () => Promise.reject(error) },
    ],
  });
  const [go, say] = [vi.fn(), vi.fn()];
  findLost(router, go, say);
  const open = () => router.push('/repack?from=a').catch(() => undefined);
  return { go, say, open };
}

describe('a page that cannot be loaded', () => {
  it('is asked for anew where its code is gone, and once only', async () => {
    const { go, say, open } = begin(
      new TypeError('Failed to fetch dynamically imported module: /assets/RepackPage-1.js'),
    );
    await open();
    expect(go.mock.calls).toEqual([['/repack?from=a']]);
    await open();
    expect(go).toHaveBeenCalledTimes(1);
    expect(say.mock.calls[0]?.[0]).toMatchObject({ sentence: 'The page could not be loaded.' });
  });
  it('is asked for anew later, when that may help again', async () => {
    const { go, open } = begin(new TypeError('error loading dynamically imported module'));
    await open();
    vi.setSystemTime(Date.now() + 60_000);
    await open();
    expect(go).toHaveBeenCalledTimes(2);
    vi.useRealTimers();
  });
  it('is left alone where it is only faulty', async () => {
    const { go, say, open } = begin(new TypeError('x is undefined'));
    await open();
    expect([go.mock.calls, say.mock.calls]).toEqual([[], []]);
  });
});
