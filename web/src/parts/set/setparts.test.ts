// @vitest-environment happy-dom
// The parts of a set's page around its ledger: what is done to the whole set, its job, its variants.
import { flushPromises } from '@vue/test-utils';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { h, type Component } from 'vue';

import type { Finding, JobView, SetView } from '@/api/client';
import { answers, begin, changes, press, visit } from '@/tests/harness';

import JobLine from './JobLine.vue';
import SetActs from './SetActs.vue';
import TogetherStrip from '@/parts/look/TogetherStrip.vue';
import VariantsPart from './VariantsPart.vue';
import ViewStrip from '@/parts/look/ViewStrip.vue';

vi.mock('@/api/client', async (original) => (await import('@/tests/harness')).fakeClient(original as never));
beforeEach(begin);

/** A part by itself, as a page would show it. */
const show = (part: Component, props: object) => visit({ render: () => h(part, props) }, 'board');
const VIEW = {
  id: 7,
  target: { name: 'orbit-desktop', title: 'Orbit desktop' },
  targets: [{ name: 'orbit-desktop', title: 'Orbit desktop', summary: '' }],
  made_for: [{ name: 'orbit-desktop', title: 'Orbit desktop', summary: '' }],
  own_target: '',
  build: null,
  proved: false,
  variants: [],
} as unknown as SetView;
const acts = (view: object, more: object = {}) =>
  show(SetActs, { view: { ...VIEW, ...view }, mayWork: true, blocked: undefined, busy: false, ...more });
const button = (page: Awaited<ReturnType<typeof visit>>, label: string) =>
  page.findAll('button').find((entry) => entry.text() === label);

describe('what is done to a whole set', () => {
  it('waits while something stands in the way, and says what', async () => {
    const blocked = { message: 'Base colour is missing.', way_out: 'Assign one.' } as Finding;
    const page = await acts({}, { blocked });
    for (const label of ['Build', 'Prove'])
      expect(button(page, label)?.attributes('disabled'), label).toBeDefined();
    expect(button(page, 'Build')?.attributes('title')).toBe('Base colour is missing. Assign one.');
  });

  it('is nothing for a guest but to look, and to deliver only what is proved', async () => {
    const guest = await acts({ proved: true }, { mayWork: false });
    expect(guest.findAll('button').map((entry) => entry.text())).toEqual(['Deliver']);
    expect(button(await acts({}), 'Deliver')).toBeUndefined();
  });
});

describe('a set’s job', () => {
  const job = (state: string, more: object = {}) =>
    ({
      id: 'j',
      title: 'Building Oak',
      state,
      progress: 0.4,
      doing: 'packing',
      problem: '',
      ...more,
    }) as JobView;

  it('shows how far it is and can be stopped', async () => {
    answers['POST /api/jobs/{job_id}/cancel'] = job('running', { cancel_asked: true });
    const page = await show(JobLine, { job: job('running'), slug: 'weir', mayWork: true });
    expect(page.text()).toContain('packing');
    await press(page, 'Cancel');
    expect(changes()[0]?.path).toBe('/api/jobs/{job_id}/cancel');
  });

  it('says why it failed, with a way out, and is tried again by those who may', async () => {
    const failed = job('failed', { problem: 'oak.png: is damaged.', way_out: 'Export it again.' });
    const page = await show(JobLine, { job: failed, slug: 'weir', mayWork: true });
    expect(page.get('[role=alert]').text()).toContain('oak.png: is damaged. Export it again.');
    expect(button(page, 'Try again')).toBeDefined();
    const guest = await show(JobLine, { job: failed, slug: 'weir', mayWork: false });
    expect(button(guest, 'Try again')).toBeUndefined();
  });
});

describe('a set’s variants', () => {
  const variant = (name: string, version: number) => ({
    id: version,
    name,
    version,
    latest: 2,
    master_title: 'Solid surface',
    changed_values: 3,
  });

  it('say which version they are on and which is out', async () => {
    answers['GET /api/masters'] = [
      { name: 'cloth', title: 'Cloth', latest: 1, deprecated: false },
      { name: 'solid-surface', title: 'Solid surface', latest: 1, deprecated: false },
    ];
    const view = { ...VIEW, variants: [variant('Wet', 1), variant('Dry', 2)] };
    const page = await show(VariantsPart, { view, slug: 'weir', mayWork: true });
    const [wet, dry] = page.findAll('a.variant');
    expect(wet?.text()).toContain('v2 is out');
    expect(dry?.text()).not.toContain('is out');
    expect(button(page, 'Dress with Solid surface')).toBeDefined();
  });

  it('are made from the usual master', async () => {
    answers['GET /api/masters'] = [
      { name: 'cloth', title: 'Cloth', latest: 1, deprecated: false },
      { name: 'solid-surface', title: 'Solid surface', latest: 1, deprecated: false },
    ];
    answers['POST /api/sets/{set_id}/variants'] = { id: 5 };
    const page = await show(VariantsPart, { view: VIEW, slug: 'weir', mayWork: true });
    expect(page.text()).toContain('This set has no variant yet.');
    await press(page, 'Dress with Solid surface');
    expect(changes()[0]).toMatchObject({
      params: { path: { set_id: 7 } },
      body: { master: 'solid-surface' },
    });
  });
});

describe('the strips beneath the table', () => {
  const look = () => ({
    channel: 0,
    exposure: -1.5,
    colour: true,
    times: 1,
    together: 'wipe' as const,
    wipe: 0.5,
    factor: 8,
    clipping: false,
  });

  it('say which two pictures lie together, and how', async () => {
    const now = look();
    const page = await show(TogetherStrip, { look: now, first: 'a.png', second: 'b.png' });
    expect(page.get('.names').text()).toBe('a.png | b.png');
    await press(page, 'difference');
    expect(now.together).toBe('difference');
  });

  it('say the exposure with a real minus, and which channel is seen', async () => {
    const views: string[] = [];
    const props = { look: look(), views: ['RGB', 'R'], shown: 'R', grey: false, zoom: 0.5 };
    const page = await show(ViewStrip, { ...props, onView: (view: string) => views.push(view) });
    expect(page.text()).toContain('−1.5 stops');
    expect(button(page, 'R')?.attributes('aria-pressed')).toBe('true');
    await press(page, 'RGB');
    await flushPromises();
    expect(views).toEqual(['RGB']);
    const grey = await show(ViewStrip, { ...props, views: ['RGB'], grey: true });
    expect(button(grey, 'Y')).toBeDefined();
  });
});
