// @vitest-environment happy-dom
// The parts of the ledger's page: what they show, what they ask for, and what they keep from a guest.
import { mount, type VueWrapper } from '@vue/test-utils';
import PrimeVue from 'primevue/config';
import { describe, expect, it } from 'vitest';
import { createMemoryHistory, createRouter } from 'vue-router';

import type { Assignment, FileView, Finding, LineView, SetView } from '@/api/client';
import { putCarried } from './channels';

import FileShelf from './FileShelf.vue';
import FindingsList from '@/parts/widgets/FindingsList.vue';
import LedgerTable from './LedgerTable.vue';
import OutputsTable from './OutputsTable.vue';
import PictureWell from './PictureWell.vue';
import RowEditor from './RowEditor.vue';

const router = createRouter({
  history: createMemoryHistory(),
  routes: [{ path: '/:rest(.*)*', name: 'any', component: { template: '<i />' } }],
});
const global = { plugins: [[PrimeVue, {}] as never, router] };

function file(id: number, name: string, channels = 'RGB'): FileView {
  return {
    id,
    path: `oak/${name}`,
    name,
    sha256: 'ab'.repeat(32),
    bytes: 12_345,
    format: 'png',
    width: 1024,
    height: 512,
    channels: [...channels] as FileView['channels'],
    sample: 'u8',
    revision: 1,
    set_id: 1,
    why_open: '',
  };
}

const PACKED = file(7, 'oak_ARM.png');
const NORMAL = file(8, 'oak_normal.png');
const GREY = file(9, 'oak_gloss.png', 'Y');

function line(
  property: string,
  title: string,
  source: FileView | null,
  channels: string,
  more: Partial<LineView> = {},
): LineView {
  const components = ['base_colour', 'normal'].includes(property) ? 3 : 1;
  return {
    property,
    title,
    components,
    absent_note: 'left out when absent',
    file: source,
    row: source && {
      property,
      file: String(source.id),
      channels: [...channels] as FileView['channels'],
      encoding: 'linear',
      inverted: false,
      normal_y: property === 'normal' ? '+Y' : null,
      sure: 'named',
      why: 'Because its name says so.',
      tiles: [],
    },
    done: source ? 'as it is' : '',
    to: source
      ? [{ output: 'packed', file_name: 'gn_oak_orm.png', channels, stored: 'PNG, 8 bit, linear' }]
      : [],
    ...more,
  };
}

const LINES = [
  line('normal', 'Normal', NORMAL, 'RGB', {
    to: [{ output: 'normal', file_name: 'gn_oak_n.png', channels: 'RGB', stored: 'PNG, 8 bit, linear' }],
  }),
  line('roughness', 'Roughness', PACKED, 'G'),
  line('metallic', 'Metallic', PACKED, 'B'),
  line('height', 'Height', null, ''),
];
const WARNING: Finding = {
  rule: 'normal-direction-assumed',
  severity: 'warning',
  stage: 'converted',
  subject: 'oak_normal.png',
  property: 'normal',
  message: 'The name does not say +Y or −Y.',
  way_out: 'Look at it lit.',
};

function ledger(mayWork = true): VueWrapper {
  const props = { lines: LINES, findings: [WARNING], mayWork, chosen: 'normal', lit: null };
  return mount(LedgerTable as never, { props: props as never, global });
}
const row = (wrapper: VueWrapper, property: string) => wrapper.get(`[data-property="${property}"]`);

describe('the ledger', () => {
  it('reads as a sentence: from, meaning, to', () => {
    const text = row(ledger(), 'roughness').text();
    expect(text).toContain('oak_ARM.png');
    expect(text).toContain('1024 × 512');
    expect(text).toContain('Roughness');
    expect(text).toContain('as it is');
    expect(text).toContain('gn_oak_orm.png');
    expect(row(ledger(), 'roughness').get('img').attributes('src')).toContain(
      '/api/files/7/picture?view=G&size=small',
    );
  });

  it('marks a row that a finding is about, and invites a drop where nothing is yet', () => {
    expect(row(ledger(), 'normal').find('[role=img]').attributes('aria-label')).toBe('look at this');
    expect(row(ledger(), 'roughness').find('[role=img]').exists()).toBe(false);
    expect(row(ledger(), 'height').text()).toContain('drop a map here');
    expect(row(ledger(false), 'height').text()).not.toContain('drop');
  });

  it('lights up what shares a file or an output with the row under the pointer', async () => {
    const wrapper = ledger();
    await row(wrapper, 'metallic').trigger('mouseenter');
    expect(wrapper.emitted('update:lit')).toEqual([['metallic']]);
    await wrapper.setProps({ lit: 'metallic' } as never);
    expect(row(wrapper, 'roughness').classes()).toContain('shares');
    expect(row(wrapper, 'normal').classes()).not.toContain('shares');
  });

  it('chooses a row by a click', async () => {
    const wrapper = ledger();
    await row(wrapper, 'height').trigger('click');
    expect(wrapper.emitted('update:chosen')).toEqual([['height']]);
  });

  it('takes a dropped channel, but not from a guest', async () => {
    const kept = new Map<string, string>();
    const dataTransfer = {
      types: ['application/x-fair-texel-channel'],
      effectAllowed: '',
      setData: (kind: string, text: string) => kept.set(kind, text),
      getData: (kind: string) => kept.get(kind) ?? '',
    };
    putCarried({ dataTransfer } as unknown as DragEvent, { file: 7, channel: 'B' });
    const wrapper = ledger();
    await row(wrapper, 'height').trigger('dragover', { dataTransfer });
    expect(row(wrapper, 'height').classes()).toContain('target');
    await row(wrapper, 'height').trigger('drop', { dataTransfer });
    expect(wrapper.emitted('fill')).toEqual([['height', { file: 7, channel: 'B' }]]);
    const guest = ledger(false);
    await row(guest, 'height').trigger('drop', { dataTransfer });
    expect(guest.emitted('fill')).toBeUndefined();
  });
});

function editor(edited: LineView, mayWork = true): VueWrapper {
  const props = { line: edited, files: [PACKED, NORMAL, GREY], openFiles: [], mayWork };
  return mount(RowEditor as never, { props: props as never, global });
}
const press = (wrapper: VueWrapper, group: string, text: string) =>
  wrapper
    .get(`[role=group][aria-label="${group}"]`)
    .findAll('button')
    .find((button) => button.text() === text)
    ?.trigger('click');
const asked = (wrapper: VueWrapper) => (wrapper.emitted('assign')?.at(-1) as [Assignment])[0];

describe('how a row is read', () => {
  it('changes one thing and keeps the rest', async () => {
    const wrapper = editor(LINES[0] as LineView);
    await press(wrapper, 'Normal direction', '−Y');
    expect(asked(wrapper)).toEqual({
      file: 8,
      channels: ['R', 'G', 'B'],
      inverted: false,
      normal_y: '-Y',
      encoding: 'linear',
    });
    await press(wrapper, 'green from', 'R');
    expect(asked(wrapper).channels).toEqual(['R', 'R', 'B']);
    expect(asked(wrapper).normal_y).toBe('+Y');
  });

  it('knows gloss by its name, and asks for inversion only', async () => {
    const wrapper = editor(LINES[1] as LineView);
    await press(wrapper, 'What the values mean', 'gloss (1 − roughness)');
    expect(asked(wrapper)).toMatchObject({ file: 7, channels: ['G'], inverted: true, normal_y: null });
    await press(wrapper, 'Encoding', 'sRGB');
    expect(asked(wrapper)).toMatchObject({ inverted: false, encoding: 'srgb' });
  });

  it('calls a mask as it is wanted, and nothing else', async () => {
    const mask = { ...(LINES[1] as LineView), property: 'mask.r', title: 'Mask r' };
    const wrapper = editor(mask);
    const name = wrapper.get<HTMLInputElement>('label input');
    await name.setValue('  flaked  paint ');
    await name.trigger('blur');
    expect(wrapper.emitted('call')).toEqual([['flaked paint']]);
    // What says nothing new, or nothing, is put back.
    await name.setValue(' r ');
    await name.trigger('blur');
    await name.setValue('');
    await name.trigger('blur');
    expect([wrapper.emitted('call')?.length, name.element.value]).toEqual([1, 'r']);
    expect(
      editor(LINES[1] as LineView)
        .find('label input')
        .exists(),
    ).toBe(false);
  });

  it('shows a guest why, and nothing to press', () => {
    const wrapper = editor(LINES[0] as LineView, false);
    expect(wrapper.text()).toContain('Because its name says so.');
    expect(wrapper.findAll('button')).toHaveLength(0);
  });

  it('clears a row, and says of an empty one what stands in', async () => {
    const wrapper = editor(LINES[1] as LineView);
    await wrapper.get('.clear').trigger('click');
    expect(wrapper.emitted('clear')).toHaveLength(1);
    expect(editor(LINES[3] as LineView).text()).toContain('Nothing provides it: left out when absent.');
  });
});

describe('findings', () => {
  it('stand with subject and way out, and lead to their row', async () => {
    const wrapper = mount(FindingsList, { props: { findings: [WARNING], lit: null }, global });
    expect(wrapper.text()).toContain('oak_normal.png');
    expect(wrapper.text()).toContain('Look at it lit.');
    await wrapper.get('button').trigger('click');
    expect(wrapper.emitted('choose')).toEqual([['normal']]);
  });

  it('are said to be none when there are none', () => {
    const wrapper = mount(FindingsList, { props: { findings: [], lit: null }, global });
    expect(wrapper.text()).toContain('Nothing stands in the way.');
  });
});

describe('outputs', () => {
  const planned = (key: string, problem: string | null) => ({
    key,
    title: key,
    file_name: `gn_oak_${key}.png`,
    width: 64,
    height: 64,
    channels: 'RGB',
    stored: 'PNG, 8 bit, linear',
    problem,
    way_out: problem && 'Assign a file to it.',
  });
  const output = {
    id: 3,
    key: 'orm',
    title: 'orm',
    file_name: 'gn_oak_orm.png',
    bytes: 2_500_000,
    sha256: 'cd'.repeat(32),
    width: 64,
    height: 64,
    sample: 'u8',
    encoding: 'linear',
    channels: 'RGB',
    reused: false,
  };
  const view = {
    planned: [planned('orm', null), planned('c', 'Base colour is missing.')],
    build: { id: 1, target: 't', created: '', by: '', current: true, outputs: [output] },
  } as unknown as SetView;

  it('can be looked at and downloaded when they are built, and say why when they cannot be', async () => {
    const wrapper = mount(OutputsTable, { props: { view, lit: ['gn_oak_orm.png'] }, global });
    const [built, missing] = wrapper.findAll('.output');
    expect(built?.text()).toContain('2.50 MB');
    expect(built?.classes()).toContain('lit');
    expect(built?.get('a').attributes('href')).toBe('/api/outputs/3/file');
    await built?.get('button').trigger('click');
    expect(wrapper.emitted('look')?.[0]).toEqual([output]);
    expect(missing?.text()).toContain('Base colour is missing. Assign a file to it.');
    expect(missing?.find('a').exists()).toBe(false);
  });
});

describe('the shelf', () => {
  it('looks at a file or one channel, and carries nothing for a guest', async () => {
    const shelved = [{ file: PACKED, note: 'of no set' }];
    const wrapper = mount(FileShelf, { props: { shelved, lit: null, mayWork: false }, global });
    expect(wrapper.text()).toContain('of no set');
    await wrapper.findAll('.channel')[2]?.trigger('click');
    expect(wrapper.emitted('look')).toEqual([[PACKED, 'B']]);
    expect(wrapper.get('.file').attributes('draggable')).toBe('false');
  });
});

describe('the well', () => {
  const subject = {
    kind: 'files' as const,
    id: 7,
    name: 'oak_ARM.png',
    width: 1024,
    height: 512,
    channels: ['R', 'G', 'B'],
    stamp: 'abc',
  };
  const well = (more: object) => {
    const props = {
      subject,
      wide: false,
      side: 'source',
      swappable: false,
      view: 'RGB',
      full: false,
      ...more,
    };
    return mount(PictureWell as never, { props: props as never, global });
  };

  it('shows the whole picture in the chosen channel', () => {
    expect(well({ view: 'G' }).get('.whole').attributes('src')).toBe(
      '/api/files/7/picture?view=G&size=whole&v=abc',
    );
  });

  it('falls back to all colours where the picture has no such channel', () => {
    expect(well({ view: 'A' }).get('.whole').attributes('src')).toContain('view=RGB');
    expect(
      well({})
        .findAll('.tool')
        .map((tool) => tool.text()),
    ).not.toContain('A');
  });

  it('offers the swap only where there is an output, and says when there is no picture', async () => {
    expect(well({}).text()).not.toContain('source');
    const wrapper = well({ swappable: true });
    await wrapper
      .findAll('.tool')
      .find((tool) => tool.text() === 'source')
      ?.trigger('click');
    expect(wrapper.emitted('swap')).toHaveLength(1);
    expect(well({ subject: null }).text()).toContain('Choose a row');
  });

  it('is as large as the picture at 100 %', () => {
    const style = well({ full: true }).get('.plane').attributes('style');
    expect(style).toContain('width: 1024px');
    expect(style).toContain('height: 512px');
  });
});
