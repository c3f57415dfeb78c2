// @vitest-environment happy-dom
// What stands around the work: the board's filters, the parts of a set's page, and what runs in the background.
import { flushPromises, mount } from '@vue/test-utils';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import Select from 'primevue/select';
import { defineComponent, h, type Component } from 'vue';

import type { Board, SetView } from '@/api/client';
import { PLAIN } from '@/parts/board/boardview';
import { answers, begin, changes, press, visit } from '@/tests/harness';

import BoardActs from '@/parts/board/BoardActs.vue';
import BoardFilters from '@/parts/board/BoardFilters.vue';
import JobsTray from './JobsTray.vue';
import SetStrip from '@/parts/set/SetStrip.vue';

vi.mock('@/api/client', async (original) => (await import('@/tests/harness')).fakeClient(original as never));
beforeEach(begin);
beforeEach(() => void (answers['GET /api/projects/{slug}/jobs'] = []));
beforeEach(() => void (answers['GET /api/projects/{slug}/saved-views'] = []));

const part = (component: Component, props: object): Component =>
  defineComponent({ setup: () => () => h(component, props) });
const overlay = () => document.querySelector<HTMLElement>('.p-popover');

describe('the filters of the board', () => {
  const set = (id: number, more: object = {}) => ({
    ...{
      id,
      name: `set ${id}`,
      rules: [],
      tags: [],
      target_name: 'orbit',
      target: 'Orbit',
      touched_by: 'ada',
    },
    ...{ has: ['normal'], lacks: ['height'], surface: true, cells: { proved: { state: 'holds' } } },
    ...more,
  });
  const board = (sets: object[]): Board =>
    ({
      sets,
      stages: ['sorted', 'proved'],
      wants: { orbit: [{ property: 'height', title: 'Height' }] },
      folders: [{ id: 3, path: 'walls/old' }],
    }) as unknown as Board;
  async function open(sets: object[], look: object = {}) {
    const emitted: unknown[] = [];
    const page = await visit(
      part(BoardFilters, {
        ...{ slug: 'weir', board: board(sets), look: { ...PLAIN, ...look }, narrowed: true, shown: 1 },
        ...{ mayWork: true, query: () => 'stage=proved', columns: 'stages', flat: false },
        onLook: (change: unknown) => emitted.push(change),
      }),
      'board',
    );
    const offered = async (): Promise<Record<string, string[]>> => {
      const button = page.findAll('button').find((entry) => entry.text() === 'Filter');
      await button?.trigger('click');
      await flushPromises();
      const selects = page.findAllComponents({ name: 'Select' });
      return Object.fromEntries(
        selects.map((entry) => [
          entry.props('ariaLabel') as string,
          (entry.props('options') as { text?: string; path?: string }[]).map(
            ({ text, path }) => text ?? path ?? '',
          ),
        ]),
      );
    };
    return { page, emitted, offered };
  }

  it('offer what tells sets apart, with how many of each, and nothing that all have', async () => {
    const { offered } = await open([
      set(1, { tags: ['hero'], rules: ['texel-density'], cells: { proved: { state: 'wrong' } } }),
      set(2, { has: ['height'], lacks: [], touched_by: 'bo', tags: ['hero', 'late'] }),
    ]);
    const found = await offered();
    expect(found['any tag']).toEqual(['any tag', 'hero (2)', 'late (1)']);
    expect(found['changed by anybody']).toEqual([
      'changed by anybody',
      'changed by ada (1)',
      'changed by bo (1)',
    ]);
    // In the order of the work; a stage that no set has a cell of is not yet reached.
    expect(found['any stage']).toEqual([
      'any stage',
      'sorted: not yet (2)',
      'proved: holds (1)',
      'proved: wrong (1)',
    ]);
    expect(found.Folder).toEqual(['any folder', 'walls/old']);
    // One target, one finding and one gap tell nothing apart.
    expect(Object.keys(found)).not.toContain('any target');
    expect(Object.keys(found)).not.toContain('any coverage');
  });

  it('show what is asked for, and take it away one by one', async () => {
    const { page, emitted } = await open([set(1)], { tag: 'hero', folder: 3 });
    const on = page.findAll('button.on');
    expect(on.map((entry) => entry.text())).toEqual(['in walls/old ×', 'hero ×']);
    for (const entry of on) await entry.trigger('click');
    expect(emitted).toEqual([{ folder: 0 }, { tag: '' }]);
    expect(page.text()).toContain('1 of 1');
  });
});

describe('what is done to many sets', () => {
  const sets = [1, 2, 3].map((id) => ({
    id,
    name: `set ${id}`,
    edit: 10 + id,
    tags: id < 3 ? ['hero'] : [],
  }));
  const board = { sets, folders: [{ id: 3, path: 'walls' }], target: { name: 'orbit' }, project: {} };
  async function open() {
    answers['GET /api/projects/{slug}/board'] = board;
    answers['GET /api/beginnings'] = { targets: [] };
    answers['GET /api/masters'] = [];
    const acts = part(BoardActs, { slug: 'weir', board, chosen: new Set([1, 3]), busy: false });
    const page = await visit(acts, 'board');
    const dialog = () => document.querySelector<HTMLElement>('.p-dialog');
    const act = async (label: string) => {
      const found = [...(dialog()?.querySelectorAll('button') ?? [])].find(
        (entry) => entry.textContent?.trim() === label,
      );
      found?.click();
      await flushPromises();
    };
    return { page, dialog, act };
  }

  it('is said with how many, and sent with what was seen of each', async () => {
    const { page, act } = await open();
    expect(page.text()).toContain('2 sets chosen');
    await press(page, 'Kind');
    page.findComponent(Select).vm.$emit('update:modelValue', false);
    await flushPromises();
    await act('Treat 2 sets so');
    const [sent] = changes();
    expect(sent?.path).toBe('/api/projects/{slug}/sets/change');
    expect(sent?.body).toMatchObject({ surface: false, remove: false, add_tags: [] });
    expect((sent?.body as { sets: { id: number }[] }).sets.map(({ id }) => id)).toEqual([1, 3]);
  });

  it('takes away a tag that some of them have, and nothing that none has', async () => {
    const { page, dialog, act } = await open();
    await press(page, 'Tag');
    expect(dialog()?.textContent).toContain('hero1 of 2');
    await act('Take away');
    expect(changes()[0]?.body).toMatchObject({ drop_tags: ['hero'] });
  });

  it('begins long work on just these', async () => {
    answers['POST /api/projects/{slug}/bulk'] = { id: 4, items: [] };
    const { page } = await open();
    await press(page, 'Prove');
    expect(changes()[0]?.body).toEqual({ action: 'prove', sets: [1, 3], master: '' });
  });
});

describe('the parts of a set’s page', () => {
  const view = (more: object = {}): SetView =>
    ({
      ...{ findings: [], build: null, proved: false, variants: [], origin: null, files: [{}, {}] },
      lines: [{ row: {} }, { row: null }],
      ...more,
    }) as unknown as SetView;
  const strip = (more: object = {}) => {
    const page = mount(SetStrip, {
      props: { view: view(more), notes: 2 },
      global: { directives: { rove: {} } },
    });
    return Object.fromEntries(
      page.findAll('button').map((entry) => [entry.text().replace(/^\S /, ''), entry.attributes('title')]),
    );
  };
  it('say how each stands, worst first where there is more than one', () => {
    const bare = strip();
    expect(bare['Ledger 1'] ?? bare['✓Ledger 1']).toBe('1 row filled');
    expect(Object.values(bare)).toEqual([
      '1 row filled',
      '0 errors, 0 warnings',
      'not built yet',
      'none yet',
      '2 notes',
      'not written down',
      '2 files',
    ]);
    const busy = strip({
      findings: [{ severity: 'error' }, { severity: 'warning' }, { severity: 'note' }],
      build: { current: false },
      variants: [
        { version: 1, latest: 2 },
        { version: 2, latest: 2 },
      ],
      origin: {},
    });
    expect(Object.values(busy)).toEqual([
      '1 row filled',
      '1 error, 1 warning',
      'built before the last change',
      'compression results are out of date',
      '1 behind the newest version',
      '2 notes',
      'written down',
      '2 files',
    ]);
  });
});

describe('background jobs', () => {
  const job = (id: string, more: object) => ({
    ...{ id, kind: 'proof', title: `Proof ${id}`, state: 'running', progress: 0.4, doing: 'encoding' },
    ...{ problem: '', way_out: '', cancel_asked: false, subject: '' },
    ...more,
  });
  async function tray(jobs: object[], role: 'artist' | 'guest' = 'artist') {
    answers['GET /api/projects/{slug}/jobs'] = jobs;
    const page = await visit(part(JobsTray, { slug: 'weir' }), 'board', role);
    await page.get('button.tray').trigger('click');
    await flushPromises();
    return page;
  }
  const buttons = () =>
    [...(overlay()?.querySelectorAll('button') ?? [])].map((entry) => entry.textContent?.trim());

  it('say what runs and how far it is, and can be cancelled or tried again', async () => {
    const page = await tray([
      job('a', { state: 'queued', progress: 0, doing: '' }),
      job('b', {}),
      job('c', { state: 'failed', problem: 'oak.png is damaged.', way_out: 'Export it again.' }),
      job('d', { state: 'done' }),
    ]);
    expect(page.get('button.tray').attributes('aria-label')).toBe('Background jobs: 2 open. Proof b');
    const text = overlay()?.textContent?.replace(/\s+/g, ' ') ?? '';
    for (const words of ['Proof awaiting', '40 % encoding', 'oak.png is damaged. Export it again.'])
      expect(text).toContain(words);
    expect(buttons()).toEqual(['Cancel', 'Cancel', 'Try again']);
    for (const entry of overlay()?.querySelectorAll<HTMLButtonElement>('button') ?? []) entry.click();
    await flushPromises();
    expect(changes().map(({ path, params }) => [path.split('/').at(-1), params?.path?.job_id])).toEqual([
      ['cancel', 'a'],
      ['cancel', 'b'],
      ['retry', 'c'],
    ]);
  });

  it('are only looked at by a guest', async () => {
    await tray([job('a', {})], 'guest');
    expect(overlay()?.textContent).toContain('Proof a');
    expect(buttons()).toEqual([]);
  });

  it('say that there are none', async () => {
    const page = await tray([]);
    expect(page.get('button.tray').text()).toBe('No jobs');
    expect(overlay()?.textContent).toContain('Nothing ran within the last hour.');
  });
});
