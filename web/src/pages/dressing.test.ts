// @vitest-environment happy-dom
// The pages around dressing and delivering, against a server made of answers.
import { beforeEach, describe, expect, it, vi } from 'vitest';

import { Refusal, answers, begin, changes, press, visit } from '@/tests/harness';
import { TOLERANCES } from '@/tests/rules';

import DeliveriesPage from './DeliveriesPage.vue';
import MastersPage from './MastersPage.vue';
import Projects from './Projects.vue';
import TolerancesPage from './TolerancesPage.vue';

vi.mock('@/api/client', async (original) =>
  (await import('@/tests/harness')).fakeClient(original as () => Promise<object>),
);
beforeEach(begin);

const P = '/api/projects/{slug}';

describe('deliveries', () => {
  const set = (id: number, name: string, proved: boolean, state: string, target = 'Orbit desktop') => ({
    id,
    name,
    target,
    target_name: target.toLowerCase().replace(' ', '-'),
    own_target: target === 'Orbit desktop' ? '' : 'millrace-handheld',
    proved,
    cells: {
      proved: { state, count: 0, first: 'colours move too far' },
      dressed: { state: 'holds', first: 'Oak 1' },
    },
  });
  const entry = (id: string, receipt: object | null, job: object | null = null) => ({
    id,
    target: 'orbit-desktop',
    target_title: 'Orbit desktop',
    created: '2026-11-02T10:00:00Z',
    by: 'artist',
    sets: [`Set ${id}`],
    files: receipt ? 4 : 0,
    bytes: 1000,
    folder: receipt ? 'deliveries/a' : '',
    variants: receipt ? ['Worn'] : [],
    models: receipt ? ['deck'] : [],
    receipt,
    job,
  });
  beforeEach(() => {
    answers[`GET ${P}/board`] = {
      sets: [
        set(1, 'Oak', true, 'holds'),
        set(2, 'Elm', true, 'wrong'),
        set(3, 'Ash', false, 'none'),
        set(4, 'Yew', true, 'holds', 'Millrace handheld'),
      ],
    };
    const pin = (name: string, title: string, for_all: boolean) => ({ name, title, for_all });
    answers[`GET ${P}/targets`] = {
      targets: [
        pin('orbit-desktop', 'Orbit desktop', true),
        pin('lantern-room', 'Lantern room', true),
        pin('millrace-handheld', 'Millrace handheld', false),
      ],
    };
    answers[`GET ${P}/deliveries`] = [];
    answers[`POST ${P}/deliveries`] = [entry('new', null)];
  });

  it('offer the sets of one target, with those chosen that hold', async () => {
    const page = await visit(DeliveriesPage, 'deliveries', 'artist');
    expect(page.findAll('label.set .name').map((name) => name.text())).toEqual(['Oak', 'Elm', 'Ash']);
    expect(page.text()).toContain('colours move too far');
    await press(page, 'Deliver 1 set');
    expect(changes()[0]?.body).toEqual({ targets: ['orbit-desktop'], sets: [1] });
  });

  it('deliver for all targets that are for every set as one act', async () => {
    const page = await visit(DeliveriesPage, 'deliveries?target=*', 'artist');
    expect(page.findAll('label.set .name').map((name) => name.text())).toEqual(['Oak', 'Elm', 'Ash']);
    await press(page, 'Deliver 1 set');
    expect(changes()[0]?.body).toEqual({ targets: ['orbit-desktop', 'lantern-room'], sets: [1] });
  });

  it('tell one that failed from one that holds, and say why', async () => {
    const failed = {
      state: 'failed',
      title: 'Delivering',
      problem: 'The disk is full.',
      way_out: 'Make room.',
    };
    answers[`GET ${P}/deliveries`] = [entry('a', null, failed)];
    const page = await visit(DeliveriesPage, 'deliveries', 'artist');
    expect(page.get('[role=alert]').text()).toBe('✕ The disk is full. Make room.');
    expect(page.text()).not.toContain('Download the zip');
  });

  it('show while they run how far they are, and can be cancelled', async () => {
    const running = {
      id: 'j',
      state: 'running',
      title: 'Delivering',
      progress: 0.4,
      doing: 'Oak',
      cancel_asked: false,
    };
    answers[`GET ${P}/deliveries`] = [entry('a', null, running)];
    const page = await visit(DeliveriesPage, 'deliveries', 'artist');
    expect(page.get('[role=status]').text()).toContain('Oak');
    await press(page, 'Cancel');
    expect(changes()[0]?.path).toBe('/api/jobs/{job_id}/cancel');
  });

  it('are only looked at by guests', async () => {
    const page = await visit(DeliveriesPage, 'deliveries', 'guest');
    expect(page.find('form').exists()).toBe(false);
    expect(page.text()).toContain('Nothing was delivered yet');
  });
});

describe('house tolerances', () => {
  beforeEach(() => {
    answers[`GET ${P}/tolerances`] = { version: 3, tolerances: TOLERANCES, versions: [] };
    answers[`PUT ${P}/tolerances`] = { version: 4, tolerances: TOLERANCES, versions: [] };
  });

  it('go back to what is usual with one press, and are kept whole', async () => {
    const page = await visit(TolerancesPage, 'tolerances');
    const keep = () => page.findAll('button').find((button) => button.text() === 'Save');
    expect(keep()?.attributes('disabled')).toBeDefined();
    await press(page, 'usual: 6');
    await press(page, 'Save');
    expect(changes()[0]?.body).toEqual({
      base: 3,
      what: 'Changed',
      tolerances: { ...TOLERANCES, normal_p95: 6 },
    });
  });

  it('are a lead’s to change', async () => {
    const page = await visit(TolerancesPage, 'tolerances', 'artist');
    expect(page.text()).toContain('A lead may change them.');
    expect(page.findAll('button').map((button) => button.text())).not.toContain('Save');
  });

  it('say what went wrong when they cannot be fetched', async () => {
    answers[`GET ${P}/tolerances`] = new Refusal(
      404,
      'The project',
      'is not here, or not yours.',
      'Ask a lead.',
    );
    expect((await visit(TolerancesPage, 'tolerances')).text()).toContain('not here, or not yours');
  });
});

describe('masters', () => {
  it('say how many variants lag behind', async () => {
    const master = { name: 'solid', title: 'Solid surface', latest: 3, summary: '', variants: 2, behind: 1 };
    const variant = {
      id: 1,
      name: 'Oak 1',
      set_name: 'Oak',
      master_title: 'Solid surface',
      version: 2,
      latest: 3,
    };
    answers['GET /api/masters'] = [master];
    answers[`GET ${P}/variants`] = [variant];
    const page = await visit(MastersPage, 'masters');
    expect(page.text()).toContain('◆ 1 behind');
    expect(page.text()).toContain('◆ v3 is out');
  });
});

describe('projects', () => {
  const project = (slug: string, over: object) => ({
    slug,
    title: slug,
    role: 'artist',
    target: 'orbit-desktop',
    sets: 4,
    questions: 0,
    open_files: 0,
    ...over,
  });

  it('say what waits for a person: questions before files', async () => {
    answers['GET /api/projects'] = [
      project('weir', {}),
      project('mill', { open_files: 3 }),
      project('lock', { open_files: 3, questions: 1 }),
    ];
    const page = await visit(Projects, 'projects');
    const said = page.findAll('.project .open').map((entry) => entry.text());
    expect(said).toEqual(['', '◆ 3 to assign', '◆ 1 open question']);
  });

  it('tell somebody who belongs to none whom to ask', async () => {
    answers['GET /api/projects'] = [];
    answers['GET /api/beginnings'] = { may_make: false, targets: [], presets: [] };
    expect((await visit(Projects, 'projects')).text()).toContain('Ask a lead for an invitation');
  });

  it('begin with the first one where somebody may make it', async () => {
    answers['GET /api/projects'] = [];
    const target = { name: 'weir-desktop', title: 'Weir desktop', summary: 'PNG.', normal_y: '+Y' };
    answers['GET /api/beginnings'] = { may_make: true, targets: [target], presets: [] };
    answers['POST /api/projects'] = { slug: 'mill' };
    const page = await visit(Projects, 'projects');
    await page.get('input[name=title]').setValue('Mill');
    await press(page, 'Make the project');
    expect(changes()[0]?.body).toEqual({ title: 'Mill', code: '', target: 'weir-desktop', rules: '' });
  });
});
