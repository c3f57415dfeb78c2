// @vitest-environment happy-dom
// Open questions: settled by hand or keyboard, taught, taken back; rules tried while they are written.
import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query';
import { flushPromises, mount } from '@vue/test-utils';
import PrimeVue from 'primevue/config';
import ConfirmationService from 'primevue/confirmationservice';
import ToastService from 'primevue/toastservice';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { createMemoryHistory, createRouter } from 'vue-router';

import type { Habit, HouseRules, Questions } from '@/api/arriving';

import HabitList from '@/parts/rules/HabitList.vue';
import Histogram from '@/parts/look/Histogram.vue';
import NameTester from '@/parts/rules/NameTester.vue';
import OpenQuestions from './OpenQuestions.vue';

interface Asked {
  method: string;
  path: string;
  params?: { path: Record<string, unknown> };
  body?: Record<string, unknown>;
}
const asked: Asked[] = [];
let answers: Record<string, unknown> = {};

vi.mock('@/api/client', async (original) => {
  const answer = (method: string) => (path: string, options: Omit<Asked, 'method' | 'path'>) => {
    asked.push({ method, path, ...options });
    const data = answers[`${method} ${path}`];
    if (data instanceof Error) return Promise.reject(data);
    return Promise.resolve({ data, response: new Response() });
  };
  const api = Object.fromEntries(['GET', 'PUT', 'POST', 'DELETE'].map((method) => [method, answer(method)]));
  return { ...(await original<object>()), api };
});

const plugins = () => [
  [PrimeVue, {}] as never,
  [
    VueQueryPlugin,
    { queryClient: new QueryClient({ defaultOptions: { queries: { retry: false } } }) },
  ] as never,
  ToastService,
  ConfirmationService,
  createRouter({
    history: createMemoryHistory(),
    routes: [{ path: '/:rest(.*)*', component: { template: '<i />' } }],
  }),
];

const FILE = {
  id: 5,
  name: 'oak_n.png',
  path: 'oak/oak_n.png',
  width: 64,
  height: 64,
  channels: ['R', 'G', 'B'],
};
function question(id: number, kind: string, habit: Habit | null = null) {
  const answer = (key: string, label: string) => ({ key, label, actions: [], habit });
  return {
    set_name: 'oak',
    files: [FILE],
    members: [] as object[],
    total: 1,
    places: [] as object[],
    channels: [] as object[],
    rank: id,
    question: {
      key: `k${id}`,
      kind,
      set: '1',
      about: kind === 'disagrees' ? 'normal' : null,
      files: ['5'],
      text: `Question ${id}?`,
      why: 'Because.',
      answers: [answer('other', 'The other'), answer('best', 'The sensible one')],
      prepared: 'best',
    },
  };
}
const HABIT: Habit = { words: 'n gl', meanings: ['normal'], channels: [], direction: '-Y', surface: false };
const LIST = '/api/projects/{slug}/questions';
const ONE = '/api/projects/{slug}/questions/{key}/answer';

function questions(...open: ReturnType<typeof question>[]): Questions {
  return { stamp: 'now', total: open.length, open, settled: [] } as unknown as Questions;
}
/** What an act answers that leaves these open. */
function changed(gone: string[], total: number, ...open: ReturnType<typeof question>[]) {
  return { before: 'now', after: 'then', gone, total, open, settled: [] as object[] };
}
async function shown(lead = true, mayWork = true) {
  const page = mount(OpenQuestions, {
    props: { slug: 'weir', mayWork, lead },
    global: { plugins: plugins() },
    attachTo: document.body,
  });
  await flushPromises();
  return page;
}
function press(key: string): void {
  window.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true }));
}

beforeEach(() => {
  asked.splice(0);
  answers = {
    [`GET ${LIST}`]: questions(question(1, 'disagrees', HABIT), question(2, 'double'), question(3, 'double')),
    [`POST ${ONE}`]: changed(['k2'], 2),
  };
});

describe('open questions', () => {
  it('show the sensible answer first, and both readings where a direction is asked', async () => {
    const page = await shown();
    const [first] = page.findAll('article');
    expect(first?.findAll('.answer').map((button) => button.text())).toEqual([
      '1The sensible one',
      '2The other',
    ]);
    expect(first?.findAll('img').map((image) => image.attributes('src'))).toEqual([
      '/api/files/5/evidence/lit-up',
      '/api/files/5/evidence/lit-down',
      '/api/files/5/evidence/curl-up',
      '/api/files/5/evidence/curl-down',
      // The set that it is about, lit.
      '/api/sets/1/lit',
    ]);
  });

  it('are settled by keyboard: down, second answer, then the prepared one', async () => {
    await shown();
    press('j');
    await flushPromises();
    press('2');
    await flushPromises();
    expect(asked.at(-1)).toMatchObject({
      path: ONE,
      params: { path: { slug: 'weir', key: 'k2' } },
      body: { answer: 'other', teach: false, members: null, places: null, channels: null },
    });
    press('Enter');
    await flushPromises();
    const given = asked.filter((entry) => entry.path === ONE);
    expect(given.at(-1)?.body).toMatchObject({ answer: 'best' });
  });

  it('change by what an answer changed, or are asked for again where somebody else has changed them', async () => {
    const page = await shown();
    const texts = () => page.findAll('article h3').map((title) => title.text());
    const lists = () => asked.filter((entry) => entry.path === LIST).length;
    answers[`POST ${ONE}`] = changed(['k1'], 3, question(4, 'double'), question(2, 'rivals'));
    press('Enter');
    await flushPromises();
    expect(texts()).toEqual(['Question 2?', 'Question 3?', 'Question 4?']);
    expect(lists()).toBe(1);
    answers[`GET ${LIST}`] = questions(question(9, 'double'));
    press('Enter');
    await flushPromises();
    expect(texts()).toEqual(['Question 9?']);
    expect(lists()).toBe(2);
  });

  it('teach a habit only when asked to, and only a lead', async () => {
    const page = await shown();
    press('t');
    await flushPromises();
    await page.find('.answer').trigger('click');
    expect(asked.at(-1)?.body).toEqual({
      answer: 'best',
      teach: true,
      members: null,
      places: null,
      channels: null,
    });
    page.unmount();
    const other = await shown(false);
    expect(other.find('.teach').exists()).toBe(false);
  });

  it('are taken as prepared, all or all of a kind, and taken back', async () => {
    const after = {
      ...changed(['k1', 'k2', 'k3'], 0),
      settled: [{ act: 'x', text: 'Q', answer: 'A', count: 3, by: 'lead', at: '2026-11-24' }],
    };
    answers['POST /api/projects/{slug}/questions/prepared'] = after;
    answers['POST /api/projects/{slug}/settled/{act}/undo'] = {
      ...changed([], 1, question(1, 'disagrees')),
      before: 'then',
    };
    const page = await shown();
    press('j');
    await flushPromises();
    await page.find('.all .link').trigger('click');
    expect(asked.at(-1)?.body).toEqual({ questions: ['k2', 'k3'], teach: true });
    await flushPromises();
    expect(page.text()).toContain('No open questions');
    await page.find('.settled .link, .acts .link').trigger('click');
    await flushPromises();
    expect(asked.at(-1)?.params?.path).toMatchObject({ act: 'x' });
    expect(page.findAll('article')).toHaveLength(1);
  });

  it('offer a guest nothing to press', async () => {
    const page = await shown(false, false);
    expect(page.findAll('button')).toHaveLength(0);
    press('Enter');
    await flushPromises();
    expect(asked.every((entry) => entry.method === 'GET')).toBe(true);
  });
});

describe('the tester', () => {
  const TRY = 'POST /api/projects/{slug}/rules/try';
  const rules = { name: '{set}_{property}', hold: false } as unknown as HouseRules;

  it('says what holds and why not, and what rules make no sense', async () => {
    vi.useFakeTimers();
    answers[TRY] = [
      {
        name: 'oak_n.png',
        holds: false,
        meaning: 'Oak: normal',
        breaks: ['The rules write “oak_normal”.'],
        would_be: 'oak_normal',
      },
      { name: 'oak_ao.png', holds: true, meaning: 'Oak: occlusion', breaks: [], would_be: 'oak_ao' },
    ];
    const page = mount(NameTester, { props: { slug: 'weir', rules }, global: { plugins: plugins() } });
    await vi.advanceTimersByTimeAsync(400);
    expect(asked.at(-1)?.body).toMatchObject({ rules: { hold: true } });
    expect(page.findAll('.tried').map((line) => line.find('span').text())).toEqual(['◆', '✓']);
    expect(page.text()).toContain('oak_normal');
    const { ApiError } = await import('@/api/client');
    answers[TRY] = new ApiError(422, 'name', 'needs {set}.', '');
    await page.find('textarea').setValue('a.png');
    await vi.advanceTimersByTimeAsync(400);
    expect(page.find('[role=alert]').exists()).toBe(true);
    vi.useRealTimers();
  });
});

describe('habits', () => {
  it('are read as sentences, written and forgotten', async () => {
    const habits: Habit[] = [
      HABIT,
      { words: 'preview', meanings: [], channels: [], direction: null, surface: false },
    ];
    const page = mount(HabitList, { props: { habits, may: true }, global: { plugins: plugins() } });
    expect(page.text()).toContain('n gl hold normal, −Y');
    expect(page.text()).toContain('preview are left out');
    await page.find('input').setValue('ALB');
    await page.find('form').trigger('submit');
    expect(page.emitted('change')?.[0]?.[0]).toEqual([
      ...habits,
      { words: 'alb', meanings: ['base_colour'], channels: [], direction: null, surface: false },
    ]);
    await page.findAll('.link')[0]?.trigger('click');
    expect(page.emitted('change')?.[1]?.[0]).toEqual([habits[1]]);
  });
});

describe('a histogram', () => {
  it('draws the channels that are looked at', () => {
    const counts = { R: Array.from({ length: 256 }, (_, step) => step), G: Array<number>(256).fill(1) };
    const page = mount(Histogram, { props: { counts, only: 'RGB' } });
    expect(page.findAll('path')).toHaveLength(2);
    expect(page.findAll('path')[0]?.attributes('d')).toMatch(/^M0 64L1 /);
    const one = mount(Histogram, { props: { counts, only: 'G' } });
    expect(one.findAll('path')).toHaveLength(1);
  });
});
