// @vitest-environment happy-dom
// The pages of bringing in and naming, against a server made of answers: what they show, ask and forbid.
import { beforeEach, describe, expect, it, vi } from 'vitest';

import { Refusal, answers, asked, begin, changes, press, visit } from '@/tests/harness';
import { RULES } from '@/tests/rules';

import AccountPage from './AccountPage.vue';
import BoardPage from './BoardPage.vue';
import DepotPage from './DepotPage.vue';
import MapsPage from './MapsPage.vue';
import RenamesPage from './RenamesPage.vue';
import RulesPage from './RulesPage.vue';

vi.mock('@/api/client', async (original) =>
  (await import('@/tests/harness')).fakeClient(original as () => Promise<object>),
);
vi.mock('@tanstack/vue-virtual', async () => (await import('@/tests/harness')).everyRow);
beforeEach(begin);

const P = '/api/projects/{slug}';
const VERSION = { number: 3, what: 'Changed', by: 'lead', at: '2026-11-02T10:00:00Z' };

describe('house rules', () => {
  beforeEach(() => {
    answers[`GET ${P}/rules`] = { version: 3, rules: RULES, versions: [VERSION], may_edit: true };
    answers[`PUT ${P}/rules`] = { version: 4, rules: RULES, versions: [], may_edit: true };
    answers[`POST ${P}/rules/try`] = [];
  });

  it('are kept as what was changed, from the version that was seen', async () => {
    const page = await visit(RulesPage, 'rules');
    expect(page.text()).toContain('version 3');
    const field = page.findAll('input').find((input) => input.element.value === '{set}_{property}');
    await field?.setValue('gn_{set}_{property}');
    await press(page, 'Save');
    expect(changes().find(({ method }) => method === 'PUT')?.body).toMatchObject({
      base: 3,
      rules: { name: 'gn_{set}_{property}', hold: true },
    });
  });

  it('that somebody else changed meanwhile are not written over in silence', async () => {
    answers[`PUT ${P}/rules`] = new Refusal(
      409,
      'The house rules',
      'were changed by somebody else.',
      'Reload.',
    );
    const page = await visit(RulesPage, 'rules');
    const field = page.findAll('input').find((input) => input.element.value === '{set}_{property}');
    await field?.setValue('mine_{set}_{property}');
    await press(page, 'Save');
    expect(page.findAll('input').some((input) => input.element.value === 'mine_{set}_{property}')).toBe(true);
  });

  it('of an older version are compared with now, and restored as a new one', async () => {
    const older = { ...VERSION, number: 2 };
    answers[`GET ${P}/rules`] = { version: 3, rules: RULES, versions: [VERSION, older], may_edit: true };
    answers[`GET ${P}/rules/{number}/document`] = { ...RULES, name: '{property}_{set}' };
    const page = await visit(RulesPage, 'rules');
    answers[`GET ${P}/rules/{number}/differences`] = [
      { part: 'name', now: '{set}_{property}', then: '{property}_{set}' },
    ];
    await press(page, 'Compare with now');
    expect(page.get('.differences').text()).toContain('{set}_{property}{property}_{set}');
    await press(page, 'Restore v2');
    expect(changes().find(({ method }) => method === 'PUT')?.body).toMatchObject({
      base: 3,
      rules: { name: '{property}_{set}' },
      what: 'Version 2 restored',
    });
  });

  it('are only looked at by those who are no lead', async () => {
    answers[`GET ${P}/rules`] = { version: 3, rules: RULES, versions: [VERSION], may_edit: false };
    const page = await visit(RulesPage, 'rules', 'artist');
    expect(page.text()).toContain('A lead may change them.');
    expect(page.get('fieldset').attributes('disabled')).toBeDefined();
    expect(page.findAll('button').map((button) => button.text())).not.toContain('Save');
  });
});

describe('the rename plan', () => {
  const line = (file: number, rules: string[], next: string | null) => ({
    file,
    old: `oak/Oak ${file}.png`,
    new: next,
    rules,
    why: ['Because.'],
    note: next ? '' : 'The name has no room for a number.',
  });
  const act = { id: 9, count: 2, by: 'artist', at: '2026-11-02T10:00:00Z', undone: null };
  const plan = {
    stamp: 'seen',
    lines: [
      line(1, ['case'], 'oak/oak_1.png'),
      line(2, ['case'], 'oak/oak_2.png'),
      line(3, ['length'], null),
    ],
    acts: [act],
  };
  beforeEach(() => {
    answers[`GET ${P}/renames`] = plan;
    answers[`POST ${P}/renames`] = { stamp: 'next', lines: [], acts: [act] };
    answers['POST /api/renames/{rename_id}/undo'] = plan;
    answers[`GET ${P}/rules`] = { version: 3, rules: RULES, versions: [], may_edit: true };
  });

  it('is grouped by why and applied as it was seen', async () => {
    const page = await visit(RenamesPage, 'renames');
    expect(page.findAll('section h2').map((title) => title.text())).toEqual([
      'Another letter case',
      'Too long',
      'Done before',
    ]);
    expect(page.text()).toContain('stays');
    await press(page, 'Rename 2');
    expect(changes()[0]?.body).toEqual({ stamp: 'seen', files: null });
  });

  it('leaves out what is unticked, and is undone as one step', async () => {
    const page = await visit(RenamesPage, 'renames');
    await page.findAll('input[type=checkbox]')[0]?.setValue(false);
    await press(page, 'Rename 1');
    await press(page, 'Undo');
    expect(changes().map(({ path, body, params }) => body ?? [path, params?.path])).toEqual([
      { stamp: 'seen', files: [2] },
      ['/api/renames/{rename_id}/undo', { rename_id: 9 }],
    ]);
  });

  it('is not for a guest to apply', async () => {
    const page = await visit(RenamesPage, 'renames', 'guest');
    expect(page.findAll('button')).toHaveLength(0);
    expect(page.get('a[download]').attributes('href')).toBe('/api/projects/weir/renames/csv');
  });
});

describe('the depot', () => {
  const licence = {
    key: 'open',
    name: 'Open Hand',
    text: 'Use it anywhere.',
    targets: null,
    until: null,
    credit: '',
  };
  const material = (id: string, terms: object = {}) => ({
    id,
    title: id,
    category: 'walls',
    words: [],
    sizes: ['512'],
    formats: ['png'],
    licence: { ...licence, ...terms },
  });
  const found = {
    categories: ['walls'],
    materials: [material('plaster'), material('rust', { until: '2020-01-01' })],
  };
  beforeEach(() => {
    answers[`GET ${P}/depot`] = { signed_in: true, found };
    answers[`POST ${P}/depot/orders`] = { id: 'job' };
    answers['PUT /api/account/depot-key'] = null;
  });

  it('shows terms in full, says which have ended, and takes a material at a size in a format', async () => {
    const page = await visit(DepotPage, 'depot', 'artist');
    expect(page.get('article').text()).toContain('Open Hand. Use it anywhere.');
    expect(page.findAll('article')[1]?.text()).toContain('✕');
    await press(page, '512');
    await press(page, 'OpenEXR');
    await press(page, 'Take it');
    expect(changes()[0]?.body).toEqual({ material: 'plaster', size: '512', file_format: 'exr' });
  });

  it('asks for its key first', async () => {
    answers[`GET ${P}/depot`] = { signed_in: false, found };
    const page = await visit(DepotPage, 'depot', 'artist');
    expect(page.text()).not.toContain('Take it');
    await page.get('input[type=password]').setValue('a key');
    await press(page, 'Sign in to the depot');
    expect(changes()[0]?.body).toEqual({ key: 'a key' });
  });

  it('that cannot be reached says so, and is asked again', async () => {
    answers[`GET ${P}/depot`] = new Refusal(409, 'The depot', 'cannot be reached.', 'See that it runs.');
    const page = await visit(DepotPage, 'depot');
    expect(page.text()).toContain('cannot be reached');
  });
});

describe('all maps', () => {
  const map = (id: number, path: string, set: string | null) => ({
    id,
    path,
    set_id: set ? 1 : null,
    set_name: set,
    revision: 1,
    aside: !set,
    stamp: 'abc',
    width: 1024,
    height: 1024,
    sample: 'u8',
    channels: 'RGB',
    bytes: 1000,
  });
  beforeEach(() => {
    const lines = [map(1, 'oak/oak_albedo.png', 'Oak'), map(2, 'elm/elm_rough.png', null)];
    answers[`GET ${P}/maps`] = { total: 2, offset: 0, lines };
    answers['GET /api/files/{file_id}'] = new Refusal(404, 'The file', 'is gone.', 'Reload.');
  });

  const pagesAsked = () =>
    asked.filter(({ path }) => path === `${P}/maps`).map(({ params }) => params?.query);

  it('are searched once the typing rests', async () => {
    const page = await visit(MapsPage, 'maps');
    expect(page.get('header .mono').text()).toBe('2');
    answers[`GET ${P}/maps`] = { total: 0, offset: 0, lines: [] };
    for (const words of ['o', 'oa', 'oak rough ']) await page.get('input').setValue(words);
    await vi.waitFor(() => expect(page.text()).toContain('No map is called so'));
    expect(pagesAsked().map((query) => query?.q)).toEqual(['', 'oak rough']);
  });

  it('are fetched in pages as they come into sight', async () => {
    answers[`GET ${P}/maps`] = { total: 10_000, offset: 0, lines: [map(1, 'oak/oak_albedo.png', 'Oak')] };
    const page = await visit(MapsPage, 'maps');
    expect(page.get('header .mono').text()).toBe((10_000).toLocaleString());
    const scroller = page.getComponent({ name: 'VirtualScroller' });
    scroller.vm.$emit('scroll-index-change', { first: 390, last: 410 });
    scroller.vm.$emit('scroll-index-change', { first: 392, last: 412 });
    await vi.waitFor(() => expect(pagesAsked().map((query) => query?.offset)).toEqual([0, 200, 400]));
  });
});

describe('the account', () => {
  const token = {
    id: 4,
    name: 'export folder',
    begins: 'fxt_ab',
    project: 'Weir',
    writes: false,
    expires: '2027-02-01T10:00:00Z',
    over: false,
    created: '2026-11-02T10:00:00Z',
    used: null,
  };
  beforeEach(() => {
    answers['GET /api/projects'] = [{ slug: 'weir', title: 'Weir' }];
    answers['GET /api/account'] = { name: 'artist', tokens: [token], depot_key: true };
    answers['POST /api/account/tokens'] = { token, secret: 'fxt_secret' };
    answers['PUT /api/account/password'] = null;
    answers['DELETE /api/account/depot-key'] = null;
  });

  it('shows a token once, when it is made', async () => {
    const page = await visit(AccountPage, 'account');
    expect(page.text()).not.toContain('fxt_secret');
    await page.get('input').setValue('build machine');
    await press(page, 'Make a token');
    expect(changes()[0]?.body).toEqual({
      name: 'build machine',
      project: 'weir',
      writes: true,
      days: 90,
    });
    expect(page.get('.token').text()).toContain('Weir, may only read');
    expect(page.get('output').text()).toContain('fxt_secret');
  });

  it('changes the password only when both new ones agree', async () => {
    const page = await visit(AccountPage, 'account');
    const [old, fresh, again] = page.findAll('input[type=password]').slice(-3);
    await old?.setValue('old');
    await fresh?.setValue('new one 77');
    await again?.setValue('new one 78');
    const button = page.findAll('button').find((entry) => entry.text() === 'Change it');
    expect(button?.attributes('disabled')).toBeDefined();
    await again?.setValue('new one 77');
    await press(page, 'Change it');
    expect(changes()[0]?.body).toEqual({ old: 'old', new: 'new one 77' });
  });
});

describe('the board', () => {
  const cell = (state: string, count = 0, first = '') => ({ state, count, first });
  const set = {
    id: 5,
    name: 'Oak',
    code: 'oak',
    target: 'Orbit desktop',
    target_name: 'orbit-desktop',
    proved: false,
    questions: 2,
    picture: null,
    folder: null,
    tags: ['hero'],
    has: ['normal'],
    lacks: ['base_colour'],
    surface: true,
    rules: [],
    notes: 0,
    note: '',
    touched: '2026-11-02T10:00:00Z',
    touched_by: 'wren',
    cells: { sorted: cell('look', 2, 'oak.png: lies'), named: cell('holds') },
  };
  const board = (over: object) => ({
    project: { slug: 'weir', questions: 0, open_files: 0 },
    target: {},
    stages: ['sorted', 'named'],
    sets: [set],
    folders: [],
    wants: { 'orbit-desktop': [{ property: 'normal', title: 'Normal' }] },
    findings: [],
    names: 0,
    memory: 0,
    project_findings: [],
    ...over,
  });

  it('says what is open in one look, each with the way there', async () => {
    const budget = {
      rule: 'project-budget',
      message: 'The outputs take 60 MB.',
      way_out: 'Use smaller sizes.',
    };
    answers[`GET ${P}/board`] = board({
      memory: 60e6,
      project_findings: [budget],
      names: 17,
      project: { slug: 'weir', questions: 2, open_files: 1 },
    });
    const page = await visit(BoardPage, 'board');
    const links = page
      .findAll('aside a')
      .map((link) => [link.attributes('href'), link.text().split('  ')[0]]);
    expect(links.map(([href]) => href)).toEqual([
      '/projects/weir/arrivals',
      '/projects/weir/arrivals',
      '/projects/weir/rules',
      '/projects/weir/renames',
    ]);
    expect(page.get('.top').text()).toContain('60.0 MB in the engine');
    expect(page.text()).toContain('2 questions are open');
    expect(page.text()).toContain('1 file belongs to no set');
    expect(page.text()).toContain('17 names break the house rules');
    expect(page.get('.asked').text()).toBe('?2');
  });

  it('says that nothing is open only when nothing is', async () => {
    answers[`GET ${P}/board`] = board({});
    expect((await visit(BoardPage, 'board')).text()).toContain('Nothing is open.');
    answers[`GET ${P}/board`] = board({ names: 1 });
    expect((await visit(BoardPage, 'board')).text()).not.toContain('Nothing is open.');
  });
});
