// @vitest-environment happy-dom
// Somebody else's files: the table of endings, answers for some of a class, checks and their presets, sets by folder.
import { flushPromises } from '@vue/test-utils';
import { beforeEach, describe, expect, it, vi } from 'vitest';

import { piecesOf } from '@/lib/values/format';
import EndingsTable from '@/parts/arrivals/EndingsTable.vue';
import OpenQuestions from '@/parts/arrivals/OpenQuestions.vue';
import { answers, asked, begin, changes, press, visit } from '@/tests/harness';

import ChecksPage from './ChecksPage.vue';

vi.mock('@/api/client', async (original) => (await import('@/tests/harness')).fakeClient(original as never));
beforeEach(begin);

const file = (id: number, name: string) => ({
  id,
  name,
  path: `mill/${name}`,
  width: 64,
  height: 64,
  channels: ['R', 'G', 'B'],
});
const XS = {
  ending: 'xs',
  written: 'xs',
  files: 3,
  stems: 3,
  looks: { colour: 3 },
  meanings: [],
  asked: true,
  question: 'k1',
  guess: 'specular',
  why: 'They stand beside a base colour.',
  habit: false,
  samples: [file(1, 'wheel01_xs.tga')],
  outliers: [],
};
const DN = {
  ...XS,
  ending: 'dn',
  written: 'dn',
  meanings: ['normal'],
  asked: false,
  question: null,
  outliers: [file(9, 'pipe_dn.tga')],
};
const answer = (key: string, label: string) => ({
  key,
  label,
  actions: [],
  each: 'sort',
  habit: { words: 'xs', meanings: [key] },
});
const member = (id: number, name: string, place = 'mill', unlike = false) => ({
  key: `m${id}`,
  files: [file(id, name)],
  set_name: null,
  place,
  unlike,
});
const QUESTION = {
  set_name: null,
  files: [file(1, 'wheel01_xs.tga')],
  members: [
    member(3, 'grate_xs.tga', 'yard', true),
    member(1, 'wheel01_xs.tga'),
    member(2, 'wheel02_xs.tga'),
  ],
  total: 3,
  channels: ['R', 'G', 'B'].map((channel) => ({ channel, looks: 'fine detail; mean 0.40', guess: '' })),
  places: [
    { place: 'mill', count: 2 },
    { place: 'yard', count: 1 },
  ],
  question: {
    key: 'k1',
    kind: 'ending',
    set: null,
    about: 'xs',
    files: ['1', '2', '3'],
    text: '3 files end in “xs”. What do they hold?',
    why: 'They belong to 3 sets.',
    answers: [answer('gloss', 'Gloss'), answer('specular', 'Specular colour')],
    prepared: 'specular',
  },
};
const ASK = '/api/projects/{slug}/questions';

function open(...questions: object[]): void {
  answers[`GET ${ASK}`] = { stamp: 'now', total: questions.length, open: questions, settled: [] };
  answers[`POST ${ASK}/{key}/answer`] = {
    before: 'now',
    after: 'then',
    gone: ['k1'],
    total: 0,
    open: [],
    settled: [],
  };
  answers['GET /api/projects/{slug}/endings'] = { endings: [XS, DN], alone: 7, files: 46 };
}
const part = (inside: object, props: object) => ({
  components: { inside },
  setup: () => ({ props }),
  template: '<inside v-bind="props" />',
});

describe('the table of endings', () => {
  it('says what every class is, and settles one with the answer that is prepared', async () => {
    open(QUESTION);
    const page = await visit(part(EndingsTable, { slug: 'weir', mayWork: true, lead: true }), 'arrivals');
    expect(page.text()).toContain('46 files, 2 endings, 1 to settle; 7 pictures stand alone');
    const [, , dn] = page.findAll('[role=row]');
    expect(dn?.text()).toContain('normal');
    expect(dn?.text()).toContain('unlike the rest: pipe_dn.tga');
    expect(page.findAll('option').map((option) => option.text())).toEqual([
      'not settled',
      'Specular colour',
      'Gloss',
      'by channel …',
    ]);
    await press(page, 'Specular colour, as prepared');
    expect(changes()[0]).toMatchObject({
      params: { path: { key: 'k1' } },
      body: { answer: 'specular', teach: true },
    });
    expect(asked.filter(({ path }) => path.endsWith('/endings')).length).toBeGreaterThan(1);
  });

  it('takes what each channel holds, written as in the cells of a target', async () => {
    open(QUESTION);
    const page = await visit(part(EndingsTable, { slug: 'weir', mayWork: true, lead: true }), 'arrivals');
    await page.get('select').setValue('by channel');
    const channels = page.get('form[aria-label="What each channel holds"]');
    expect(channels.text()).toContain('fine detail; mean 0.40');
    for (const [channel, text] of [
      ['R', 'o'],
      ['B', 'mask'],
    ] as const) {
      const cell = channels.get(`[data-channel=${channel}]`);
      await cell.get('[data-takes-text]').trigger('click');
      const input = cell.get('input');
      await input.setValue(text);
      await input.trigger('blur');
    }
    await channels.trigger('submit');
    await flushPromises();
    expect(changes()).toMatchObject([
      { body: { answer: null, teach: true, channels: { R: 'occlusion', G: '', B: 'mask' } } },
    ]);
  });

  it('shows a guest what is open, with nothing to press', async () => {
    open(QUESTION);
    const page = await visit(
      part(EndingsTable, { slug: 'weir', mayWork: false, lead: false }),
      'arrivals',
      'guest',
    );
    expect(page.text()).toContain('not settled');
    expect(page.findAll('select, button')).toHaveLength(0);
  });

  it('explains itself when nothing came yet', async () => {
    open();
    answers['GET /api/projects/{slug}/endings'] = { endings: [], alone: 0, files: 0 };
    const page = await visit(part(EndingsTable, { slug: 'weir', mayWork: true, lead: true }), 'arrivals');
    expect(page.text()).toContain('No class of files shares an ending yet');
  });
});

describe('a question about a class', () => {
  it('shows what looks unlike the rest first, and is answered for chosen pictures and folders alone', async () => {
    open(QUESTION);
    const page = await visit(part(OpenQuestions, { slug: 'weir', mayWork: true, lead: true }), 'arrivals');
    const [odd, wheel] = page.findAll('.member');
    expect(odd?.text()).toContain('looks unlike the rest');
    await wheel?.trigger('click');
    await page
      .findAll('.folder')
      .find((entry) => entry.text().startsWith('yard'))
      ?.trigger('click');
    window.dispatchEvent(new KeyboardEvent('keydown', { key: '2', bubbles: true }));
    await flushPromises();
    // Some of a class teach nothing about the class.
    expect(changes()[0]?.body).toEqual({
      answer: 'gloss',
      teach: false,
      members: ['m1'],
      places: ['yard'],
      channels: null,
    });
  });

  it('teaches the house when a lead answers for all of it', async () => {
    open(QUESTION);
    await visit(part(OpenQuestions, { slug: 'weir', mayWork: true, lead: true }), 'arrivals');
    window.dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true }));
    await flushPromises();
    expect(changes()[0]?.body).toMatchObject({ answer: 'specular', teach: true, members: null });
  });
});

describe('checks', () => {
  const CHECK = {
    rule: 'seam',
    title: 'Edges that do not meet',
    about: 'A step over a tile’s edge.',
    limits: [{ key: 'step', title: 'Step', default: 3, low: 1, high: 50, unit: 'times' }],
    presets: { general: 'off', scanned: 'note', painted: 'off', older: 'off' },
  };

  it('begin from a preset, take a limit with a comma, and are kept as a part of the rules', async () => {
    answers['GET /api/checks'] = [CHECK];
    answers['GET /api/projects/{slug}/rules'] = {
      version: 4,
      may_edit: true,
      rules: { title: 'Ours', checks: {} },
    };
    const page = await visit(ChecksPage, 'checks');
    await press(page, 'Scanned surfaces');
    const field = page.find<HTMLInputElement>('[data-check=seam] input');
    await field.setValue('99');
    await field.trigger('change');
    expect(page.text()).toContain('is above the maximum, 50');
    await field.setValue('2,5');
    await field.trigger('change');
    await press(page, 'Save');
    expect(changes()).toMatchObject([
      {
        body: { base: 4, rules: { title: 'Ours', checks: { seam: { say: 'note', limits: { step: 2.5 } } } } },
      },
    ]);
  });

  it('are only looked at by who is no lead', async () => {
    answers['GET /api/checks'] = [CHECK];
    answers['GET /api/projects/{slug}/rules'] = { version: 4, may_edit: false, rules: { checks: {} } };
    const page = await visit(ChecksPage, 'checks', 'artist');
    expect(page.text()).toContain('A lead may change them');
    expect(page.findAll('button').every((button) => button.attributes('disabled') !== undefined)).toBe(true);
  });
});

describe('the names of sets', () => {
  it('break between their words and lose nothing', () => {
    expect(piecesOf('T_LatticePane_01-a.png')).toEqual(['T_', 'Lattice', 'Pane_', '01-', 'a.', 'png']);
    for (const name of ['wheel01_xs.tga', 'Grow Lamp - AO', '水車_01', '__odd__'])
      expect(piecesOf(name).join('')).toBe(name);
  });
});
