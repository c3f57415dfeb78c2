// A small sheet, and the words that may stand in it.
import type { Sheet, Words } from '@/parts/masters/sheet';

const slot = (name: string, kind: string, usual: boolean | number | string | null = null, least = 2) => ({
  name,
  kind,
  default: usual,
  least,
});
const operation = (key: string, slots: Words['operations'][number]['slots'], gives = 'same') => ({
  key,
  title: key,
  family: 'arithmetic',
  also: key === 'mix' ? 'lerp blend' : '',
  meaning: `what ${key} means`,
  slots,
  gives,
});

export const words: Words = {
  operations: [
    operation('read', [slot('texture', 'texture'), slot('place', 'place', 'uv')], 'texture'),
    operation('multiply', [slot('a', 'same'), slot('b', 'same')]),
    operation('mix', [slot('a', 'same'), slot('b', 'same'), slot('share', 'number', 0.5)]),
    operation('invert', [slot('a', 'same')]),
    operation('x', [slot('a', 'vector')], 'number'),
  ],
  mesh: [
    { name: 'uv', kind: 'place', meaning: 'where it is on the picture' },
    { name: 'time', kind: 'number', meaning: 'seconds' },
  ],
  given: [
    { key: 'base_colour', title: 'Base colour', kind: 'colour', extended: false },
    { key: 'roughness', title: 'Roughness', kind: 'number', extended: false },
  ],
  read: [{ key: 'base_colour', title: 'Base colour', kind: 'colour' }],
  kinds: { number: 'number', colour: 'colour' },
};

export function written(): Sheet {
  const strand = (name: string, group: string, key: string, inputs: Sheet['strands'][number]['inputs']) => ({
    name,
    group,
    operation: key,
    block: '',
    inputs,
    comment: '',
  });
  return {
    format: 'fair-texel-master',
    format_version: 3,
    name: 'tinted',
    title: 'Tinted',
    summary: '',
    version: 1,
    layers: [{ name: 'surface', label: 'Surface', help: '' }],
    parameters: [
      {
        ...{
          name: 'tint',
          label: 'Tint',
          group: 'base colour',
          kind: 'colour',
          default: [1, 1, 1],
          choices: [],
        },
        ...{
          soft_low: 0,
          soft_high: 1,
          step: 0,
          unit: '',
          help: '',
          only_with: '',
          only_at: '',
          structural: false,
        },
      },
    ],
    textures: [
      { name: 'colour map', property: 'base_colour', layer: 'surface', label: '', group: '', help: '' },
    ],
    strands: [
      strand('paint', 'base colour', 'read', { texture: 'colour map' }),
      strand('rough', 'roughness', 'invert', { a: 0.25 }),
      strand('tinted', 'base colour', 'multiply', { a: 'paint', b: 'tint' }),
    ],
    blocks: [],
    surface: { base_colour: 'tinted', roughness: 'rough' },
    opacity: { mode: 'as the target', threshold: 0.5, two_sided: true },
    comments: {},
  };
}

/** A block of two rows, at its second version. */
export const block: Sheet['blocks'][number] = {
  format: 'fair-texel-block',
  format_version: 1,
  name: 'soften',
  title: 'Soften',
  summary: 'what softens',
  version: 2,
  inputs: [
    { name: 'amount', kind: 'number', texture: false, default: null, help: '' },
    { name: 'map', kind: 'colour', texture: true, default: null, help: '' },
  ],
  strands: ['soft', 'rim'].map((name) => ({
    ...{ name, group: '', operation: 'invert', block: '', comment: '' },
    inputs: { a: 'amount' },
  })),
  outputs: ['soft', 'rim'],
};

/** A sheet with a row that stands for the block, and one that takes from it. */
export function blocked(): Sheet {
  const sheet = written();
  sheet.blocks = [block];
  sheet.strands.push(
    {
      ...{ name: 'edge', group: '', operation: '', block: 'soften', comment: '' },
      inputs: { amount: 'rough', map: 'colour map' },
    },
    {
      ...{ name: 'last', group: '', operation: 'invert', block: '', comment: '' },
      inputs: { a: 'edge: rim' },
    },
  );
  return sheet;
}
