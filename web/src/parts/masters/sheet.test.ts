// @vitest-environment happy-dom
// A sheet's rows by keyboard, a variant's layers, and a constant in the place of a map.
import { RouterLinkStub, mount } from '@vue/test-utils';
import PrimeVue from 'primevue/config';
import { describe, expect, it } from 'vitest';

import type { Parameter, Schemas } from '@/api/client';
import { readProperty, rename, type Sheet } from './sheet';
import { vRove } from '@/lib/page/roving';
import { vTerm } from '@/lib/page/glossary';
import type { StudioBlock } from './blocks';
import { block, blocked, words, written } from '@/tests/sheets';

import LayersPart from '@/parts/models/LayersPart.vue';
import BlockRows from './BlockRows.vue';
import ParameterRow from '@/parts/models/ParameterRow.vue';
import SheetParameters from './SheetParameters.vue';
import SheetRows from './SheetRows.vue';

const stubs = { RouterLink: RouterLinkStub };
const global = { plugins: [PrimeVue], directives: { rove: vRove, term: vTerm }, stubs };
const kinds = { paint: 'colour', rough: 'number', tinted: 'colour' };

describe('names', () => {
  it('take the labels along that were made of them, and leave those that somebody wrote', () => {
    const sheet = written();
    rename(sheet, 'tint', 'wear');
    expect(sheet.parameters[0]).toMatchObject({ name: 'wear', label: 'Wear' });
    Object.assign(sheet.parameters[0] ?? {}, { name: 'amount 2', label: 'Amount' });
    rename(sheet, 'amount 2', 'rough to');
    expect(sheet.parameters[0]?.label).toBe('Rough to');
    Object.assign(sheet.parameters[0] ?? {}, { label: 'How rough at most' });
    rename(sheet, 'rough to', 'limit');
    expect(sheet.parameters[0]).toMatchObject({ name: 'limit', label: 'How rough at most' });
  });
  it('of textures follow what they read, everywhere', () => {
    const sheet = written();
    const more = {
      ...words,
      read: [...words.read, { key: 'roughness', title: 'Roughness', kind: 'number' }],
    };
    Object.assign(sheet.textures[0] ?? {}, { name: 'surface base colour map' });
    Object.assign(sheet.strands[0]?.inputs ?? {}, { texture: 'surface base colour map' });
    readProperty(sheet, 0, 'roughness', more as never);
    expect(sheet.textures[0]).toMatchObject({ name: 'surface roughness map', property: 'roughness' });
    expect(sheet.strands[0]?.inputs.texture).toBe('surface roughness map');
    // A name of its own says nothing of the property, and stays.
    rename(sheet, 'surface roughness map', 'scratches');
    readProperty(sheet, 0, 'base_colour', more as never);
    expect(sheet.textures[0]).toMatchObject({ name: 'scratches', property: 'base_colour' });
  });
});

describe('the rows of a sheet', () => {
  function rows(more: object = {}, begun = written()) {
    let sheet = begun;
    const page = mount(SheetRows, {
      global,
      attachTo: document.body,
      props: {
        ...{
          sheet,
          words,
          kinds,
          problems: [],
          cost: null,
          held: null,
          editable: true,
          mayPublish: true,
          pinned: '',
          studio: [],
        },
        onChange: (how: (draft: Sheet) => void) => {
          sheet = JSON.parse(JSON.stringify(sheet)) as Sheet;
          how(sheet);
          void page.setProps({ sheet });
        },
        ...more,
      },
    });
    const row = (name: string) => page.get(`[data-strand="${name}"]`);
    return { page, row, names: () => sheet.strands.map(({ name }) => name) };
  }
  it('are added, copied, moved and removed by key', async () => {
    const { row, names } = rows();
    await row('rough').trigger('keydown', { key: 'Enter' });
    expect(names()).toEqual(['paint', 'rough', 'multiply', 'tinted']);
    await row('multiply').trigger('keydown', { key: 'd', ctrlKey: true });
    expect(names()).toEqual(['paint', 'rough', 'multiply', 'multiply 2', 'tinted']);
    await row('multiply 2').trigger('keydown', { key: 'ArrowUp', altKey: true });
    expect(names()).toEqual(['paint', 'rough', 'multiply 2', 'multiply', 'tinted']);
    await row('multiply').trigger('keydown', { key: 'Delete' });
    await row('multiply 2').trigger('keydown', { key: 'Delete' });
    expect(names()).toEqual(['paint', 'rough', 'tinted']);
  });
  it('change nothing for whoever may only look, but can be shown', async () => {
    const { page, row, names } = rows({ editable: false });
    for (const key of ['Enter', 'Delete', 'F2']) await row('rough').trigger('keydown', { key });
    expect(names()).toEqual(['paint', 'rough', 'tinted']);
    await row('rough').trigger('keydown', { key: 'p' });
    expect(page.emitted('pin')).toEqual([['rough']]);
  });
  it('are chosen by reaching from one to the next, and become a block', async () => {
    const { page, row } = rows();
    await row('paint').trigger('keydown', { key: 'ArrowDown', shiftKey: true });
    await row('rough').trigger('keydown', { key: 'ArrowDown', shiftKey: true });
    expect(page.get('.picked').text()).toContain('3 rows chosen');
    await row('tinted').trigger('keydown', { key: 'ArrowUp', shiftKey: true });
    await row('rough').trigger('keydown', { key: 'b' });
    expect(page.emitted('fold')).toEqual([[['paint', 'rough']]]);
    expect(page.find('.picked').exists()).toBe(false);
  });
  it('may stand for a block, which opens in place and tells of a newer version', async () => {
    const versions = [{ number: 3, note: 'Softer' }];
    const studio = [
      { name: 'soften', latest: 3, title: 'Soften', versions, document: { ...block, version: 3 } },
    ];
    const { page, row } = rows({ studio: studio as unknown as StudioBlock[] }, blocked());
    expect(row('edge').text()).toContain('Soften v2');
    expect(row('edge').text()).toContain('amount');
    await row('edge').trigger('keydown', { key: 'o' });
    const inside = page.getComponent(BlockRows);
    expect(inside.text()).toContain('It gives edge: soft, edge: rim.');
    await inside.get('[aria-label="Show edge: rim on the stage"]').trigger('click');
    await row('edge').trigger('keydown', { key: 'p' });
    expect(page.emitted('pin')).toEqual([['edge: rim'], ['edge: soft']]);
    await inside.get('.newer').trigger('click');
    expect(row('edge').text()).toContain('Soften v3');
    await inside.findAll('.link')[0]?.trigger('click');
    expect(page.emitted('apart')).toEqual([['edge']]);
  });
  it('say what is wrong at the chip and under the row', () => {
    const problem = {
      place: ['strands', 2, 'inputs', 'a'],
      subject: 'tinted',
      message: 'leaves “a” empty.',
      way_out: 'Fill it.',
    };
    const { row } = rows({ problems: [problem] });
    expect(row('tinted').get('[role=alert]').text()).toBe('✕ leaves “a” empty. Fill it.');
    expect(row('tinted').findAll('.read.wrong')).toHaveLength(1);
  });
  it('light up what feeds a row and what uses it', async () => {
    const { row } = rows();
    await row('tinted').trigger('focus');
    expect(row('paint').classes()).toContain('feeds');
    await row('tinted').trigger('blur');
    await row('paint').trigger('focus');
    expect(row('tinted').classes()).toContain('uses');
  });
});

describe('the layers of a variant', () => {
  const layer = (name: string, set: number | null, free = false) => ({
    ...{ name, label: name, help: '', free, wants: ['Base colour'], set_id: set, set_name: '', property: '' },
    ...{
      properties: [],
      proved: true,
      stands: set === null ? 'It takes no set: its textures read as their defaults.' : '',
    },
  });
  it('take what is dropped on them, and leave the others as they are', async () => {
    const page = mount(LayersPart, {
      global,
      props: {
        slug: 'glasshouse-nine',
        layers: [layer('base', 3), layer('red', null)],
        sets: [
          { id: 3, name: 'Oak' },
          { id: 5, name: 'Moss' },
        ],
        mayWork: true,
        painted: true,
        seen: [
          {
            layer: 'base',
            label: 'Base',
            share: 0,
            shared: 0,
            reason: 'Nothing is painted.',
            way_out: 'Paint.',
          },
        ],
      },
    });
    expect(page.get('[data-layer=red]').text()).toContain('It takes no set');
    expect(page.text()).toContain('painted in four stripes');
    const open = page.findAllComponents(RouterLinkStub);
    expect(open.map((link) => link.attributes('title'))).toEqual(['Open Oak']);
    expect(open[0]?.props('to')).toEqual({ name: 'set', params: { slug: 'glasshouse-nine', id: 3 } });
    expect(page.get('[data-layer=base]').text()).toContain('It is seen nowhere. Nothing is painted. Paint.');
    const dataTransfer = { getData: () => '5' };
    await page.get('[data-layer=red]').trigger('drop', { dataTransfer });
    expect(page.emitted('take')?.[0]).toEqual([
      { base: { set: 3, property: '' }, red: { set: 5, property: '' } },
      'red: Moss',
    ]);
  });
  it('offer files of no set to what is free, and to nothing else', async () => {
    const page = mount(LayersPart, {
      global,
      props: {
        slug: 'glasshouse-nine',
        layers: [layer('base', 3), layer('wear', null, true)],
        sets: [{ id: 3, name: 'Oak' }],
        files: [{ id: 8, path: 'loose/grunge.png' }],
        mayWork: true,
        painted: false,
        seen: [],
      },
    });
    const [base, wear] = page.findAllComponents({ name: 'Select' });
    const offered = (select: typeof base): string[] =>
      (select?.props('options') as { items: { text: string }[] }[]).flatMap(({ items }) =>
        items.map(({ text }) => text),
      );
    expect(offered(base)).toEqual(['Oak']);
    expect(offered(wear)).toEqual(['no set', 'Oak', 'loose/grunge.png']);
    wear?.vm.$emit('update:modelValue', -8);
    await page.vm.$nextTick();
    expect(page.emitted('take')?.[0]).toEqual([
      { base: { set: 3, property: '' }, wear: { set: 0, file: 8, property: '' } },
      'wear: loose/grunge.png',
    ]);
  });
});

describe('a constant in the place of a map', () => {
  it('is set by a press, and given back to its map', async () => {
    const parameter = {
      ...(written().parameters[0] as Parameter),
      kind: 'number',
      default: 0.5,
    } as Parameter;
    const row = mount(ParameterRow, {
      global,
      props: { parameter, mayWork: true, map: true, modelValue: undefined },
    });
    expect(row.text()).toContain('from its map');
    await row.get('[aria-label="Set a value for Tint"]').trigger('click');
    expect(row.emitted('update:modelValue')).toEqual([[0.5]]);
    await row.setProps({ modelValue: 0.5 });
    await row.get('[aria-label="Reset Tint"]').trigger('click');
    expect(row.emitted('update:modelValue')?.at(-1)).toEqual([undefined]);
  });
});

describe('the parameters of a sheet', () => {
  function parameters(begun = written()) {
    let sheet = begun;
    const first = sheet.parameters[0] as Parameter;
    sheet.parameters.push({ ...first, name: 'bend', label: 'Bend', kind: 'two', default: [0.25, 0.5] });
    sheet.parameters.push({ ...first, name: 'worn', kind: 'switch', default: true, structural: true });
    const figures = { on: { reads: 4, arithmetic: 12 }, off: { reads: 3, arithmetic: 2 } };
    const cost = { switches: [{ parameter: 'worn', ...figures }] } as unknown as Schemas['MasterCost'];
    const page = mount(SheetParameters, {
      global,
      attachTo: document.body,
      props: {
        ...{ sheet, words, problems: [], cost, editable: true },
        onChange: (how: (draft: Sheet) => void) => {
          sheet = JSON.parse(JSON.stringify(sheet)) as Sheet;
          how(sheet);
          void page.setProps({ sheet });
        },
      },
    });
    return { page, sheet: () => sheet };
  }
  it('are put in order by key, and have a default for each of their numbers', async () => {
    const { page, sheet } = parameters();
    await page.findAll('.parameter')[1]?.trigger('keydown', { key: 'ArrowUp', altKey: true });
    expect(sheet().parameters.map(({ name }) => name)).toEqual(['bend', 'tint', 'worn']);
    const second = page.get('[aria-label="Default of bend, number 2"]');
    await second.setValue('0.75');
    await second.trigger('change');
    await second.trigger('blur');
    expect(sheet().parameters[0]?.default).toEqual([0.25, 0.75]);
  });
  it('say what a switch that is compiled in saves', async () => {
    const { page } = parameters();
    await page.get('[aria-label="More of worn"]').trigger('click');
    expect(page.text()).toContain('Off, it saves 1 texture read and 10 steps.');
  });
});
