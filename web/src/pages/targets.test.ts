// @vitest-environment happy-dom
// A target on its page: cells that are typed into, every change kept, taken back, overtaken by somebody else; and what a project takes.
import { flushPromises } from '@vue/test-utils';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';

import type { TargetDocument } from '@/api/targets';
import { blankOutput, filled, holding, inLayout, problemsAt, blank } from '@/parts/targets/targetwords';
import { Refusal, answers, begin, changes, press, visit } from '@/tests/harness';

import TargetPage from './TargetPage.vue';
import TargetsPage from './TargetsPage.vue';

vi.mock('@/api/client', async (original) => (await import('@/tests/harness')).fakeClient(original as never));
afterEach(() => vi.useRealTimers());

const WORDS = {
  properties: [
    {
      key: 'base_colour',
      title: 'Base colour',
      letter: 'c',
      components: ['red', 'green', 'blue'],
      colour: true,
    },
    { key: 'roughness', title: 'Roughness', letter: 'r', components: ['roughness'], colour: false },
    { key: 'constant', title: 'Constant', letter: '', components: ['value'], colour: false },
  ],
  files: [
    { key: 'png', title: 'PNG', samples: ['u8', 'u16'] },
    { key: 'exr', title: 'OpenEXR', samples: ['f16', 'f32'] },
  ],
  samples: { u8: '8 bits', u16: '16 bits', f16: 'half floats', f32: '32-bit floats' },
  filters: {},
  most_outputs: 64,
  extensions: {},
};
const T = '/api/targets/{name}';
let server: { document: TargetDocument; edit: number; problems: object[] };

function documentOf(): TargetDocument {
  return {
    name: 'barge',
    title: 'Barge',
    summary: '',
    version: 2,
    normal_y: '+Y',
    name_template: '{set}_{suffix}',
    folder_template: '{set}',
    outputs: [blankOutput([])],
  } as unknown as TargetDocument;
}
function view(): object {
  return {
    name: 'barge',
    title: 'Barge',
    may_edit: true,
    may_publish: true,
    deprecated: false,
    successor: null,
    version: 1,
    document: documentOf(),
    versions: [{ number: 1, what: 'First', by: 'lead', at: '2026-11-20T10:00:00Z' }],
    used: [],
    hidden: 0,
    draft: { document: server.document, edit: server.edit, problems: server.problems, base: 1, by: 'lead' },
  };
}
beforeEach(() => {
  begin();
  server = { document: documentOf(), edit: 1, problems: [] };
  answers[`GET ${T}`] = view;
  answers['GET /api/targets/vocabulary'] = WORDS;
  answers['GET /api/targets'] = { may_edit: true, targets: [] };
  answers['GET /api/projects/{slug}/board'] = { sets: [] };
  answers['POST /api/targets/meaning'] = () => {
    const said = String(changes().at(-1)?.body?.said);
    if (said === 'r') return { ...blank('Y'), property: 'roughness', constant: null };
    if (said === 'c') return { ...blank('Y'), property: 'base_colour', constant: null };
    return new Refusal(409, said, 'is no surface property.', 'Known ones: roughness.');
  };
  answers[`PUT ${T}/draft`] = () => {
    const body = changes().at(-1)?.body as { document: TargetDocument; seen: number };
    if (body.seen !== server.edit)
      return new Refusal(409, 'Barge', 'was changed by kestrel since you looked.', 'Load that draft.', true);
    server = { document: body.document, edit: server.edit + 1, problems: [] };
    return { ...server, base: 1, by: 'lead' };
  };
});
type Page = Awaited<ReturnType<typeof visit>>;
async function type(page: Page, at: number, text: string): Promise<void> {
  await page
    .findAll('.cell')
    .at(at)
    ?.trigger('keydown', { key: text.slice(0, 1) });
  await page.find('.typed').setValue(text);
  await page.find('.slot form').trigger('submit');
  await flushPromises();
}
async function later(): Promise<void> {
  await vi.advanceTimersByTimeAsync(1500);
  await flushPromises();
}
const cells = (page: Page) => page.findAll('.cell').map((cell) => cell.text().replace(': ', ''));

describe('a target that is being written', () => {
  beforeEach(() => void vi.useFakeTimers());

  it('takes what is typed into a cell, keeps it, and takes it back', async () => {
    const page = await visit(TargetPage, 'targets/barge');
    await type(page, 1, 'r');
    expect(cells(page)).toEqual(['R0', 'Groughness', 'B0']);
    await later();
    expect(server.document.outputs[0]?.channels[1]?.property).toBe('roughness');
    await press(page, 'Undo');
    await later();
    expect(cells(page)).toEqual(['R0', 'G0', 'B0']);
    expect(server.document.outputs[0]?.channels[1]?.property).toBe('constant');
    await press(page, 'Redo');
    expect(cells(page)[1]).toBe('Groughness');
  });

  it('says at the cell what means nothing, and changes nothing', async () => {
    const page = await visit(TargetPage, 'targets/barge');
    await type(page, 0, 'shine');
    expect(page.find('.slot [role=alert]').text()).toContain('is no surface property');
    await later();
    expect(server.edit).toBe(1);
  });

  it('asks before it overwrites what somebody else has written meanwhile', async () => {
    const page = await visit(TargetPage, 'targets/barge');
    server = { ...server, document: { ...documentOf(), summary: 'Theirs' }, edit: 5 };
    await type(page, 0, 'r');
    await later();
    // The test's person makes their change all the same.
    expect([server.edit, server.document.outputs[0]?.channels[0]?.property]).toEqual([6, 'roughness']);
  });

  it('takes along what does not go with another file format', async () => {
    const page = await visit(TargetPage, 'targets/barge');
    await page.find('.name').trigger('click');
    const select = page
      .findAllComponents({ name: 'Select' })
      .find((entry) => entry.props('ariaLabel') === 'File format');
    select?.vm.$emit('update:modelValue', 'exr');
    await later();
    const made = server.document.outputs[0];
    expect([made?.sample, made?.encoding, made?.storage.format]).toEqual(['f16', 'linear', 'rgba16f']);
  });

  it('is published only when it holds and is kept', async () => {
    server.problems = [
      { place: ['outputs', 0, 'suffix'], message: 'Two outputs share one suffix.', way_out: '' },
    ];
    const page = await visit(TargetPage, 'targets/barge');
    const button = page.findAll('button').find((entry) => entry.text() === 'Publish…');
    expect(button?.attributes('disabled')).toBeDefined();
    expect(page.text()).toContain('Two outputs share one suffix.');
  });
});

describe('the targets of a project', () => {
  it('offer a newer version with what it would rebuild', async () => {
    const pin = {
      name: 'barge',
      title: 'Barge',
      summary: '',
      version: 1,
      newest: 2,
      usual: true,
      for_all: true,
      own: 0,
    };
    answers['GET /api/projects/{slug}/targets'] = { may_edit: true, targets: [pin], others: [] };
    const change = {
      output: 'pack',
      title: 'Pack',
      part: 'Channel R',
      was: 'roughness',
      becomes: '1 − roughness',
    };
    answers['GET /api/projects/{slug}/targets/{name}/upgrade'] = {
      changes: [{ ...change, effect: 'built again' }],
      effect: {
        sets: 2,
        built_again: 2,
        encoded_again: 0,
        renamed: 1,
        added: 0,
        removed: 0,
        memory_before: 1000,
        memory_after: 2000,
      },
    };
    const page = await visit(TargetsPage, 'targets');
    await press(page, 'What would change');
    expect(page.text()).toContain(
      'Of the outputs of 2 sets: 2 built again, 1 renamed. Memory 1.00 kB → 2.00 kB.',
    );
    expect(page.text()).toContain('1 − roughness');
    await press(page, 'Take version 2');
    expect(changes().at(-1)).toMatchObject({ method: 'PUT', body: { version: 2 } });
  });
});

describe('channels', () => {
  const three = [blank('R'), blank('G'), blank('B')];
  it('keep what stands in both layouts', () => {
    const colour = { ...blank('A'), property: 'base_colour', constant: null };
    const grey = inLayout([{ ...blank('R'), property: 'roughness', constant: null }, ...three.slice(1)], 'Y');
    expect(grey.map(({ channel, property }) => [channel, property])).toEqual([['Y', 'roughness']]);
    expect(inLayout([...three, colour], 'RGBA')[3]?.property).toBe('base_colour');
    expect(inLayout(grey, 'RGBA').map(({ constant }) => constant)).toEqual([null, 0, 0, 1]);
  });
  it('are filled together by a colour that lands on red, and alone elsewhere', () => {
    const words = WORDS as never;
    const meant = { ...blank('Y'), property: 'base_colour', constant: null };
    const all = filled(inLayout(three, 'RGBA'), 0, meant, words);
    expect(all.map(({ component, property }) => `${property} ${component}`)).toEqual([
      'base_colour 0',
      'base_colour 1',
      'base_colour 2',
      'constant 0',
    ]);
    expect(filled(three, 1, meant, words).map(({ property }) => property)).toEqual([
      'constant',
      'base_colour',
      'constant',
    ]);
  });
  it('make their output sRGB when colour comes in, and linear when it goes', () => {
    const words = WORDS as never;
    const output = blankOutput([]);
    const colour = filled(three, 0, { ...blank('Y'), property: 'base_colour', constant: null }, words);
    holding(output, colour, words);
    expect([output.encoding, output.storage.srgb]).toEqual(['srgb', true]);
    // What somebody chose otherwise stays while it holds colour.
    output.encoding = 'linear';
    holding(output, [...colour].reverse(), words);
    expect(output.encoding).toBe('linear');
    holding(output, three, words);
    expect([output.encoding, output.storage.srgb]).toEqual(['linear', false]);
    // One component of a colour beside data is data: nothing there may be bent.
    const [red, green] = [colour[0] ?? blank('R'), { ...blank('G'), property: 'roughness', constant: null }];
    holding(output, [red, green, blank('B')], words);
    expect([output.encoding, output.storage.srgb]).toEqual(['linear', false]);
  });
  it('show their own mistakes, rows those of no channel', () => {
    const of = (...place: (string | number)[]) => ({ place, message: place.join('.'), way_out: '' });
    const all = [
      of('outputs', 0, 'channels', 1),
      of('outputs', 0, 'suffix'),
      of('outputs', 1),
      of('summary'),
    ];
    expect(problemsAt(all, ['outputs', 0, 'channels', 1])).toHaveLength(1);
    expect(problemsAt(all, ['outputs', 0], true).map(({ message }) => message)).toEqual(['outputs.0.suffix']);
  });
});
