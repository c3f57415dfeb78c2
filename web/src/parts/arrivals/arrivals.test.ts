// @vitest-environment happy-dom
// Arrivals: what was refused stands first, and a file of no set is assigned by hand.
import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query';
import { flushPromises, mount } from '@vue/test-utils';
import PrimeVue from 'primevue/config';
import ConfirmationService from 'primevue/confirmationservice';
import Select from 'primevue/select';
import ToastService from 'primevue/toastservice';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { createMemoryHistory, createRouter } from 'vue-router';

import type { ArrivalView, FileView } from '@/api/client';

import ArrivalReport from './ArrivalReport.vue';
import OpenFile from './OpenFile.vue';

interface Asked {
  method: string;
  path: string;
  params: { path: Record<string, unknown> };
  body?: unknown;
}
const asked: Asked[] = [];

vi.mock('@/api/client', async (original) => {
  const answer = (method: string) => (path: string, options: Omit<Asked, 'method' | 'path'>) => {
    asked.push({ method, path, ...options });
    return Promise.resolve({ data: { id: 41, name: 'Oak' }, response: new Response() });
  };
  const api = Object.fromEntries(['GET', 'PUT', 'POST', 'DELETE'].map((method) => [method, answer(method)]));
  return { ...(await original<object>()), api };
});

const router = createRouter({
  history: createMemoryHistory(),
  routes: [
    { path: '/projects/:slug/sets/:id', name: 'set', component: { template: '<i />' } },
    { path: '/projects/:slug/maps', name: 'maps', component: { template: '<i />' } },
    { path: '/:rest(.*)*', component: { template: '<i />' } },
  ],
});
const plugins = () => [
  [PrimeVue, {}] as never,
  [VueQueryPlugin, { queryClient: new QueryClient() }] as never,
  ToastService,
  ConfirmationService,
  router,
];

beforeEach(() => asked.splice(0));

const ITEM = {
  id: 1,
  path: 'oak/a.png',
  bytes: 1,
  outcome: 'accepted',
  problem: '',
  way_out: '',
  set_id: 3,
  set_name: 'Oak',
};
const JOB = {
  id: 'j1',
  kind: 'sort',
  title: 'Sorting 3 files',
  subject: '',
  state: 'running',
  progress: 0.4,
  doing: 'a.png',
  cancel_asked: false,
  problem: '',
  way_out: '',
  created: '2026-01-01T00:00:00Z',
  ended: null,
};

function report(more: object, mayWork = true) {
  const arrival = {
    id: 'a1',
    state: 'done',
    created: '2026-01-01T00:00:00Z',
    by: 'artist',
    job: null,
    items: [],
    ...more,
  };
  const props = { arrival: arrival as unknown as ArrivalView, slug: 'weir', mayWork };
  return mount(ArrivalReport, { props, global: { plugins: plugins() } });
}

describe('an arrival', () => {
  it('names each refused file with its way out, and counts what each set took', () => {
    const refused = {
      ...ITEM,
      id: 2,
      path: 'b.png',
      outcome: 'refused',
      problem: 'is empty.',
      way_out: 'Export it again.',
    };
    const wrapper = report({ items: [ITEM, { ...ITEM, id: 3 }, refused] });
    expect(wrapper.text()).toContain('2 taken, 1 refused');
    expect(wrapper.get('.item').text()).toContain('b.png');
    expect(wrapper.get('.item').text()).toContain('is empty. Export it again.');
    expect(wrapper.get('.sets').text()).toContain('Oak 2');
  });

  it('shows how far sorting is, and stops when asked', async () => {
    const wrapper = report({ state: 'sorting', job: JOB });
    expect(wrapper.get('[role=progressbar]').attributes('aria-valuenow')).toBe('40');
    await wrapper
      .findAll('button')
      .find((button) => button.text() === 'Cancel')
      ?.trigger('click');
    await flushPromises();
    expect(asked.at(0)).toMatchObject({ method: 'POST', path: '/api/jobs/{job_id}/cancel' });
    expect(report({ state: 'sorting', job: JOB }, false).find('button').exists()).toBe(false);
  });

  it('says why sorting failed, and offers to try again', () => {
    const job = { ...JOB, state: 'failed', problem: 'The disk is full.', way_out: 'Free some space.' };
    const wrapper = report({ job });
    expect(wrapper.text()).toContain('The disk is full. Free some space.');
    expect(wrapper.text()).toContain('Try again');
  });
});

describe('a file of no set', () => {
  const file = {
    id: 9,
    name: 'scan.png',
    path: 'scan.png',
    channels: ['R', 'G', 'B'],
    width: 8,
    height: 8,
    sample: 'u8',
  };
  const open = (mayWork = true) => {
    const props = {
      file: { ...file, sha256: 'ab', why_open: 'No word of it is known.' } as unknown as FileView,
      sets: [{ id: 3, name: 'Oak', has: [] }] as never,
      slug: 'weir',
      mayWork,
    };
    return mount(OpenFile, { props, global: { plugins: plugins() } });
  };
  const choose = async (wrapper: ReturnType<typeof open>, label: string, value: unknown) => {
    const select = wrapper.findAllComponents(Select).find((entry) => entry.props('ariaLabel') === label);
    select?.vm.$emit('update:modelValue', value);
    await flushPromises();
  };

  it('is assigned one channel of it, and gloss is inverted roughness', async () => {
    const wrapper = open();
    await choose(wrapper, 'Property', 'gloss');
    await wrapper.findAll('[role=group][aria-label=Channel] button')[2]?.trigger('click');
    await choose(wrapper, 'Set', 3);
    await wrapper.get('form').trigger('submit');
    await flushPromises();
    expect(asked[0]).toMatchObject({ method: 'PUT', params: { path: { set_id: 3, key: 'roughness' } } });
    expect(asked[0]?.body).toMatchObject({ file: 9, channels: ['B'], inverted: true });
  });

  it('can begin a set of its own', async () => {
    const wrapper = open();
    await choose(wrapper, 'Property', 'normal');
    await choose(wrapper, 'Set', -1);
    await wrapper.get('input[aria-label="Name of the new set"]').setValue('Elm');
    await wrapper.get('form').trigger('submit');
    await flushPromises();
    expect(asked[0]).toMatchObject({
      method: 'POST',
      path: '/api/projects/{slug}/sets',
      body: { name: 'Elm' },
    });
    expect(asked[1]).toMatchObject({ method: 'PUT', params: { path: { set_id: 41, key: 'normal' } } });
    expect(asked[1]?.body).toMatchObject({ channels: null, normal_y: null });
  });

  it('is only looked at by a guest', () => {
    expect(open(false).find('form').exists()).toBe(false);
    expect(open(false).text()).toContain('No word of it is known.');
  });
});
