// @vitest-environment happy-dom
// What is chosen on a page stands in its address, and comes back from it.
import { flushPromises, mount } from '@vue/test-utils';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { h, type Ref } from 'vue';
import { createMemoryHistory, createRouter, RouterView } from 'vue-router';

import { useAddress } from './address';

beforeEach(() => vi.useFakeTimers());
afterEach(() => vi.useRealTimers());

interface Choices {
  row: Ref<string>;
  stops: Ref<number>;
  seams: Ref<boolean>;
  side: Ref<'source' | 'output'>;
}

/** A page that takes its time to be loaded. */
const loaded = { render: () => h('em') };
let slow = Promise.resolve(loaded);

async function page(address: string) {
  let choices: Choices | undefined;
  const view = {
    setup() {
      choices = {
        row: useAddress('row', 'base_colour'),
        stops: useAddress('exposure', 0),
        seams: useAddress('seams', false),
        side: useAddress<'source' | 'output'>('side', 'source', ['source', 'output']),
      };
      return () => h('i');
    },
  };
  const router = createRouter({
    history: createMemoryHistory(),
    routes: [
      { path: '/set', component: view },
      { path: '/other', component: { render: () => h('b') } },
      { path: '/slow', component: () => slow },
    ],
  });
  await router.push(address);
  mount(RouterView, { global: { plugins: [router] } });
  await flushPromises();
  return {
    router,
    choices: choices as Choices,
    values: () => Object.values(choices as Choices).map((choice: Ref) => choice.value as unknown),
    async rest() {
      await vi.advanceTimersByTimeAsync(300);
      await flushPromises();
    },
  };
}

describe('the address of a page', () => {
  it('says what is chosen, and nothing where that is the usual', async () => {
    const { choices, router, rest } = await page('/set?row=normal&keep=1');
    choices.stops.value = -1.5;
    choices.seams.value = true;
    choices.row.value = 'base_colour';
    await rest();
    expect(router.currentRoute.value.query).toEqual({ keep: '1', exposure: '-1.5', seams: 'yes' });
  });

  it('is read when the page comes, and what is not allowed in it is the usual', async () => {
    const some = await page('/set?row=normal&exposure=2.5&seams=yes&side=output');
    expect(some.values()).toEqual(['normal', 2.5, true, 'output']);
    const bad = await page('/set?row=&exposure=far&seams=1&side=inside');
    expect(bad.values()).toEqual(['', 0, false, 'source']);
  });

  it('is followed when a link leads to another choice on the same page', async () => {
    const { choices, router, rest } = await page('/set?row=normal');
    await router.push('/set?row=height&exposure=1');
    await rest();
    expect([choices.row.value, choices.stops.value]).toEqual(['height', 1]);
  });

  it('of another page is left alone', async () => {
    const { choices, router, rest } = await page('/set');
    choices.row.value = 'normal';
    await router.push('/other?row=mine');
    await rest();
    expect(router.currentRoute.value.fullPath).toBe('/other?row=mine');
  });

  it('calls nobody back who is on the way to a page that is still loading', async () => {
    let arrive = (): void => undefined;
    slow = new Promise((resolve) => (arrive = () => resolve(loaded)));
    const { choices, router, rest } = await page('/set');
    choices.row.value = 'normal';
    const gone = router.push('/slow');
    await rest();
    arrive();
    await gone;
    await rest();
    expect(router.currentRoute.value.fullPath).toBe('/slow');
  });

  it('is written after all where somebody stays', async () => {
    const { choices, router, rest } = await page('/set');
    router.beforeEach((to) => to.path !== '/other');
    choices.row.value = 'normal';
    await router.push('/other');
    await rest();
    expect(router.currentRoute.value.fullPath).toBe('/set?row=normal');
  });
});
