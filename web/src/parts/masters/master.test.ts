// @vitest-environment happy-dom
// A published master, to be read, and what becomes of it; versions of documents, compared with now.
import { flushPromises, mount } from '@vue/test-utils';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { defineComponent, h, type Component } from 'vue';

import type { Parameter } from '@/api/client';
import { answers, asked, begin, changes, press, Refusal, visit } from '@/tests/harness';

import MasterEnd from './MasterEnd.vue';
import MasterParameters from './MasterParameters.vue';
import VersionList from '@/parts/drafts/VersionList.vue';
import WritingActs from '@/parts/drafts/WritingActs.vue';

vi.mock('@/api/client', async (original) => (await import('@/tests/harness')).fakeClient(original as never));
beforeEach(begin);
beforeEach(() => void (answers['GET /api/masters'] = []));

const part = (component: Component, props: object): Component =>
  defineComponent({ setup: () => () => h(component, props) });
const parameter = (more: Partial<Parameter>): Parameter => ({
  ...{ name: 'tiling', label: 'Tiling', group: 'placement', kind: 'number', default: 1, unit: '', help: '' },
  ...{ soft_low: 0.25, soft_high: 10, hard_low: null, hard_high: null, step: 0, choices: [] },
  ...{ only_with: '', only_at: '', structural: false },
  ...more,
});

describe('the parameters of a master', () => {
  const said = async (one: Parameter): Promise<string> => {
    const page = mount(MasterParameters, { props: { parameters: [one], lit: null, opened: one.name } });
    await flushPromises();
    return page.text().replace(/\s+/g, ' ');
  };
  it('say what each stands at and where it may go, with its unit', async () => {
    expect(await said(parameter({}))).toContain('Tiling10.25 to 10');
    expect(await said(parameter({ unit: '°', default: 90, soft_low: -180, soft_high: 180 }))).toContain(
      '90°−180 to 180°',
    );
    expect(await said(parameter({ hard_low: 0.01 }))).toContain('Values may be from 0.01; the slider goes');
    expect(await said(parameter({ hard_high: 5 }))).toContain('Values may be up to 5;');
    expect(await said(parameter({}))).toContain('Values may be any number;');
  });
  it('say switches, colours and choices in words, and what each costs', async () => {
    const switched = parameter({ kind: 'switch', default: true, structural: true });
    expect(await said(switched)).toContain('on');
    expect(await said(switched)).toContain('It changes the shader');
    expect(await said(parameter({ kind: 'colour', default: [1, 0, 0] }))).toContain('#ff0000');
    const chosen = parameter({ kind: 'choice', default: 'wet', choices: ['dry', 'wet'], only_with: 'rain' });
    expect(await said(chosen)).toContain('One of dry, wet. It counts while rain is on.');
    expect(await said(parameter({ kind: 'two', default: [0.5, 2] }))).toContain('0.5, 2');
  });
  it('open one at a time, and light up where they are used', async () => {
    const page = mount(MasterParameters, {
      props: {
        parameters: [parameter({}), parameter({ name: 'turn', label: 'Turn' })],
        lit: 'turn',
        opened: '',
      },
    });
    expect(page.get('[data-parameter=turn]').classes()).toContain('lit');
    expect(page.text()).not.toContain('Values may be');
    await page.get('[data-parameter=tiling] button').trigger('click');
    expect(page.emitted('update:opened')).toEqual([['tiling']]);
    await page.get('[data-parameter=tiling]').trigger('mouseenter');
    expect(page.emitted('update:lit')).toEqual([['tiling']]);
  });
});

describe('the end of a master', () => {
  const master = { name: 'wet', title: 'Wet', version: 2, may_publish: true, deprecated: false };
  const open = (more: object = {}) =>
    visit(part(MasterEnd, { master: { ...master, ...more }, slug: 'weir' }), 'masters');

  it('is deprecated in favour of one that is offered itself', async () => {
    const line = (name: string, more: object = {}) => ({
      name,
      title: name,
      latest: 1,
      deprecated: false,
      ...more,
    });
    answers['GET /api/masters'] = [
      line('wet'),
      line('ground'),
      line('old', { deprecated: true }),
      line('drafted', { latest: 0 }),
    ];
    const page = await open();
    const select = page.getComponent({ name: 'Select' });
    const texts = (select.props('options') as { text: string }[]).map(({ text }) => text);
    expect(texts).toEqual(['with no successor', 'ground takes its place']);
    select.vm.$emit('update:modelValue', 'ground');
    await flushPromises();
    select.vm.$emit('update:modelValue', '');
    await flushPromises();
    expect(changes().map(({ body }) => body)).toEqual([
      { deprecated: true, successor: 'ground' },
      { deprecated: true, successor: null },
    ]);
  });
  it('is offered again, and deleted only where nobody uses it', async () => {
    answers['DELETE /api/masters/{name}'] = new Refusal(409, 'Wet', 'is used by Weir.', 'Move its variants.');
    const page = await open({ deprecated: true, successor: 'ground' });
    expect(page.text()).toContain('ground takes its place');
    await press(page, 'Offer it again');
    await press(page, 'Delete…');
    expect(changes().map(({ method, body }) => [method, body])).toEqual([
      ['PUT', { deprecated: false, successor: null }],
      ['DELETE', undefined],
    ]);
  });
  it('is nobody’s to decide who may not publish', async () => {
    const page = await open({ may_publish: false });
    expect(page.findAll('button')).toHaveLength(0);
    expect(page.get('a').attributes('href')).toBe('/api/masters/wet/materialx?version=2');
  });
});

describe('a draft that somebody writes', () => {
  it('is published by leads of the studio, and waits for them with everybody else', async () => {
    const publish = vi.fn();
    const draft = { undo: vi.fn(), redo: vi.fn() };
    const given = { draft, canUndo: true, canRedo: false, hindered: '', onPublish: publish };
    const theirs = await visit(part(WritingActs, { ...given, mayPublish: false }), 'masters');
    expect(theirs.text()).toContain('waits for a lead of the studio');
    expect(theirs.text()).not.toContain('Publish');
    const mine = await visit(part(WritingActs, { ...given, mayPublish: true }), 'masters');
    await press(mine, 'Publish…');
    expect(publish).toHaveBeenCalledOnce();
  });
});

describe('the versions of a document', () => {
  const VERSIONS = [2, 1].map((number) => ({ number, what: `The ${number}.`, by: 'lead', at: '2026-11-01' }));
  const differences = [
    { part: 'sizes.largest', now: 4096, then: null },
    { part: 'words', now: ['a', 'b'], then: { colour: 'c', square: true } },
  ];
  function list(more: object = {}) {
    const compare = vi.fn(() => Promise.resolve(differences));
    const taken = vi.fn();
    const props = { versions: VERSIONS, newest: 2, mayEdit: true, compare, onTakeUp: taken };
    const words = (name: string) => name.toUpperCase();
    const address = (number: number) => `/rules/${number}`;
    return visit(part(VersionList, { ...props, words, address, ...more }), 'rules').then((page) => ({
      page,
      compare,
      taken,
    }));
  }
  it('are compared with now in words, and an older one is taken back', async () => {
    const { page, compare, taken } = await list();
    expect(page.findAll('button').map((entry) => entry.text())).toEqual(['Compare with now']);
    await press(page, 'Compare with now');
    const cells = page.findAll('tbody tr').map((row) => row.findAll('th, td').map((cell) => cell.text()));
    expect(cells).toEqual([
      ['SIZES.LARGEST', '4096', 'none'],
      ['WORDS', 'a, b', 'colour c, square yes'],
    ]);
    await press(page, 'Restore v1');
    expect(taken).toHaveBeenCalledWith(1);
    await press(page, 'Compare with now');
    await press(page, 'Compare with now');
    expect(page.find('table').exists()).toBe(false);
    expect(compare).toHaveBeenCalledTimes(2);
    expect(asked.filter(({ method }) => method !== 'GET')).toEqual([]);
  });
  it('say where nothing differs, and are not restored by whoever may only look', async () => {
    const same = await list({ compare: () => Promise.resolve([]) });
    await press(same.page, 'Compare with now');
    expect(same.page.text()).toContain('It is the same as now.');
    const { page } = await list({ mayEdit: false });
    await press(page, 'Compare with now');
    expect(page.text()).not.toContain('Restore');
  });
});
