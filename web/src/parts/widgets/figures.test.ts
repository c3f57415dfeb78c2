// @vitest-environment happy-dom
// Looking: figures and findings with their pictures, a file that takes its siblings along.
import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query';
import { flushPromises, mount } from '@vue/test-utils';
import PrimeVue from 'primevue/config';
import ToastService from 'primevue/toastservice';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { createMemoryHistory, createRouter } from 'vue-router';

import type { Finding } from '@/api/client';

import FigureList, { type Figure } from './FigureList.vue';
import FindingsList from './FindingsList.vue';
import TakeFile from '@/parts/arrivals/TakeFile.vue';

interface Asked {
  method: string;
  path: string;
  body?: Record<string, unknown>;
}
const asked: Asked[] = [];

vi.mock('@/api/client', async (original) => {
  const answer = (method: string) => (path: string, options: Omit<Asked, 'method' | 'path'>) => {
    asked.push({ method, path, body: options.body });
    const board = { sets: [{ id: 7, name: 'Elm', cells: {} }], project: {} };
    const data = path.endsWith('/board') ? board : { id: 3, name: 'Oak', mesh: null };
    return Promise.resolve({ data, response: new Response(null, { status: 200 }) });
  };
  const api = Object.fromEntries(['GET', 'POST', 'PUT', 'DELETE'].map((method) => [method, answer(method)]));
  return { ...(await original<object>()), api };
});
beforeEach(() => {
  asked.length = 0;
  vi.stubGlobal(
    'ResizeObserver',
    class {
      observe() {}
      disconnect() {}
    },
  );
});
afterEach(() => void vi.unstubAllGlobals());

const router = () =>
  createRouter({ history: createMemoryHistory(), routes: [{ path: '/', component: { template: '<i />' } }] });
const plugins = () =>
  [[VueQueryPlugin, { queryClient: new QueryClient() }], PrimeVue, ToastService, router()] as never[];

const figure: Figure = {
  what: 'channel G',
  says: 'two values; mean 0.20, 2 levels',
  look: true,
  kind: 'between',
  channel: 'G',
  caption: 'madder where it is neither 0 nor 1',
};

describe('figures', () => {
  it('stand beside their pictures and mark what is worth a look', async () => {
    const plain = { ...figure, what: 'declares', look: false, kind: null, caption: '' };
    const list = mount(FigureList, {
      props: { fileId: 5, stamp: 'abc', figures: [figure, plain], isShown: () => false },
    });
    expect(list.findAll('button')).toHaveLength(1);
    expect(list.get('img').attributes('src')).toBe('/api/files/5/evidence/between?channel=G&v=abc');
    expect(list.text()).toContain('◆ two values');
    await list.get('button').trigger('click');
    expect(list.emitted('show')?.[0]).toEqual([figure]);
  });

  it('say what to do where nothing was measured', () => {
    const list = mount(FigureList, { props: { fileId: 5, stamp: '', figures: [], isShown: () => false } });
    expect(list.text()).toContain('Drop it again');
  });
});

describe('findings', () => {
  const finding: Finding = {
    rule: 'metallic-between',
    severity: 'warning',
    stage: 'sorted',
    subject: 'oak_metal.png',
    property: 'metallic',
    message: '60% of metallic lie between.',
    way_out: 'Paint it anew.',
    shown: { file: '5', kind: 'between', channel: 'Y', caption: 'madder where it is neither 0 nor 1' },
  };

  it('open and close the picture that they were seen in', async () => {
    const list = mount(FindingsList, { props: { findings: [finding], lit: null } });
    const thumb = list.get('button.thumb');
    expect(list.find('figure').exists()).toBe(false);
    await thumb.trigger('click');
    expect(list.get('figure img').attributes('src')).toBe('/api/files/5/evidence/between?channel=Y');
    expect(list.get('figcaption').text()).toBe('madder where it is neither 0 nor 1');
    await thumb.trigger('click');
    expect(list.find('figure').exists()).toBe(false);
    await list.findAll('button').at(-1)?.trigger('click');
    expect(list.emitted('choose')?.[0]).toEqual(['metallic']);
  });

  it('say so when there are none', () => {
    expect(mount(FindingsList, { props: { findings: [], lit: null } }).text()).toContain('Nothing stands');
  });
});

describe('a file of no set', () => {
  const siblings = Array.from({ length: 8 }, (_, number) => `quay/quay_${number}.png`);

  it('takes its siblings along into a new set, or goes alone', async () => {
    const form = mount(TakeFile, {
      props: { fileId: 5, siblings, slug: 'weir' },
      global: { plugins: plugins() },
    });
    await flushPromises();
    expect(form.text()).toContain('its 8 siblings follow');
    expect(form.text()).toContain('and 2 more');
    await form.get('form').trigger('submit');
    await form.get('input[type=checkbox]').setValue(false);
    await form.get('form').trigger('submit');
    await flushPromises();
    expect(asked.filter(({ method }) => method === 'POST').map(({ body }) => body)).toEqual([
      { set: null, name: '', siblings: true },
      { set: null, name: '', siblings: false },
    ]);
  });
});
