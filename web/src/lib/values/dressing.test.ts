// Blocks, figures, colours and values: the arithmetic behind proofs and variants.
import { describe, expect, it } from 'vitest';

import type { Parameter, ProofView } from '@/api/client';

import { hexOf, linearOf } from './colours';
import { FORMATS } from '@/api/formats.generated';
import { halfOf, readDds } from '@/lib/pictures/dds';
import { levelsOf, lostOf, worstOf } from '@/parts/set/proofs';
import { grouped, useValues, withDefaults } from './variants';

/** A DDS file of a format, with as many bytes of levels as are given. */
function dds(number: number, width: number, height: number, levels: number, bytes: number): ArrayBuffer {
  const buffer = new ArrayBuffer(148 + bytes);
  const words = new DataView(buffer);
  words.setUint32(0, 0x20534444, true);
  words.setUint32(12, height, true);
  words.setUint32(16, width, true);
  words.setUint32(28, levels, true);
  words.setUint32(128, number, true);
  return buffer;
}

describe('DDS files', () => {
  it('gives every level its own bytes, whole blocks at the edges', () => {
    // 6 × 5 in BC7: four blocks, then 3 × 2 and 1 × 1 with one block each.
    const texture = readDds(dds(99, 6, 5, 3, 96));
    expect(texture).toMatchObject({ width: 6, height: 5, format: 'bc7', srgb: true });
    expect(texture.levels.map((level) => [level.width, level.height, level.data.length])).toEqual([
      [6, 5, 64],
      [3, 2, 16],
      [1, 1, 16],
    ]);
  });
  it('reads every format of the table, by each of its numbers', () => {
    for (const [key, form] of Object.entries(FORMATS)) {
      for (const [names, srgb] of [[form.linear, false] as const, [form.srgb, true] as const]) {
        if (!names) continue;
        const length = form.unit * Math.ceil(8 / form.block[0]) * Math.ceil(4 / form.block[1]);
        const texture = readDds(dds(names.dxgi, 8, 4, 1, length));
        expect([texture.format, texture.srgb, texture.levels[0]?.data.length]).toEqual([key, srgb, length]);
      }
    }
  });
  it('refuses what is no texture of ours', () => {
    expect(() => readDds(new ArrayBuffer(20))).toThrow('no DDS file');
    expect(() => readDds(dds(7, 4, 4, 1, 16))).toThrow('not known');
    expect(() => readDds(dds(98, 8, 8, 1, 16))).toThrow('ends too early');
  });
  it('turns numbers into half floats (IEEE 754)', () => {
    expect([0, 0.5, 1, 0.25, 2 ** -24].map(halfOf)).toEqual([0, 0x3800, 0x3c00, 0x3400, 1]);
    expect([-2, 65504, 1e9, NaN].map(halfOf)).toEqual([0xc000, 0x7bff, 0x7bff, 0x7e00]);
  });
});

describe('colours', () => {
  it('are linear in documents and sRGB in fields (IEC 61966-2-1)', () => {
    expect(linearOf('#ff8000')).toEqual([1, expect.closeTo(0.2159, 4), 0]);
    expect(hexOf([0.2159, 4, 0])).toBe('#80ff00');
    for (const hex of ['#000000', '#0a141e', '#e0a37f', '#ffffff']) expect(hexOf(linearOf(hex))).toBe(hex);
  });
});

describe('figures of a proof', () => {
  it('are one line for each thing that an output holds, and say when nothing was lost', () => {
    const figures = {
      colours: [{ psnr: null, delta_mean: 0, delta_p95: 0, delta_worst: 0 }],
      data: [{ channel: 'A', meaning: 'Opacity', mean: 0.456, worst: 12 }],
    } as unknown as ProofView['figures'];
    expect(lostOf(figures).map((line) => [line.label, line.mean, line.worst])).toEqual([
      ['ΔE', 'exact', ''],
      ['A', '0.46', '12'],
    ]);
  });
});

describe('levels of a proof', () => {
  const level = (width: number, mean: number) => ({
    width,
    height: width,
    normal: { mean },
    colours: [],
    data: [],
  });
  const figures = {
    ...level(64, 0.5),
    below: [level(32, 0.9), level(16, 2.1), level(8, 7)],
  } as unknown as ProofView['figures'];
  it('are said with their size and loss, and the worst is one that somebody can see', () => {
    const levels = levelsOf(figures);
    expect(levels.map(({ words }) => words)[2]).toBe('level 2, 16 × 16: 2.10° on average');
    // The level of 8 × 8 lost more, and is a few texels on the screen.
    expect(worstOf(levels)?.level).toBe(2);
  });
  it('have no worst where none loses more than the base', () => {
    const calm = { ...figures, normal: { mean: 9 } } as ProofView['figures'];
    expect(worstOf(levelsOf(calm))).toBeUndefined();
    expect(levelsOf({ width: 4, height: 4, data: [] } as unknown as ProofView['figures'])).toHaveLength(1);
  });
});

describe('values of a variant', () => {
  it('are settled a whole drag at once, as what was changed', () => {
    const settings = useValues({ tiling: 1, tint: [1, 1, 1] });
    for (const value of [1.5, 2, 2.5]) settings.set('tiling', value);
    expect(settings.settle()).toEqual({ tiling: 2.5 });
    settings.set('tint', [1, 1, 1]);
    expect(settings.settle()).toBe(null);
    settings.set('tiling', undefined);
    settings.set('tint', [1, 0, 0]);
    expect(settings.settle()).toEqual({ tiling: null, tint: [1, 0, 0] });
  });
  it('follow the server, with what is not saved yet and a drag under way over it', () => {
    const settings = useValues({ tiling: 1, rotation: 0 });
    settings.set('rotation', 30);
    settings.follow({ tiling: 4, brightness: 2 }, [{ brightness: 3 }, { tiling: null }]);
    expect(settings.values.value).toEqual({ brightness: 3, rotation: 30 });
    expect(settings.settle()).toEqual({ rotation: 30 });
  });
  it('are its own as they were set, over those of the master', () => {
    const settings = useValues({ tiling: 2 });
    const parameters = [
      { name: 'tiling', default: 1 },
      { name: 'tint', default: [1, 1, 1] },
    ] as unknown as Parameter[];
    settings.set('tint', [1, 1, 1]);
    expect(settings.values.value).toEqual({ tiling: 2, tint: [1, 1, 1] });
    settings.set('tiling', undefined);
    expect(settings.values.value).toEqual({ tint: [1, 1, 1] });
    expect(withDefaults(parameters, settings.values.value)).toEqual({ tiling: 1, tint: [1, 1, 1] });
  });
  it('stand in the groups of their master, in its order', () => {
    const parameters = [
      { name: 'a', group: 'one' },
      { name: 'b', group: 'two' },
      { name: 'c', group: 'one' },
    ] as Parameter[];
    expect(grouped(parameters).map((entry) => entry.parameters.map((item) => item.name))).toEqual([
      ['a', 'c'],
      ['b'],
    ]);
  });
});
