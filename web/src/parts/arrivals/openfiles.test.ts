// Which set the name of a lone file speaks for.
import { describe, expect, it } from 'vitest';

import type { Board, FileView } from '@/api/client';

import { endingOf, nearest } from './openfiles';

const file = (id: number, name: string) => ({ id, name }) as FileView;
const set = (id: number, name: string, has: string[] = []) =>
  ({ id, name, has }) as unknown as Board['sets'][number];

describe('files of no set', () => {
  it('speak for the longest set name that theirs begins with, where that lacks the property', () => {
    const sets = [set(1, 'Oak'), set(2, 'oak_bark'), set(3, 'elm', ['height']), set(4, 'T_Ash')];
    const files = [
      file(1, 'OakBark-zz1.png'),
      file(2, 'elm zz1.png'),
      file(3, 'oak.zz1.png'),
      file(4, 'ash_zz1.png'),
    ];
    expect([...nearest(files, sets, 'height')]).toEqual([
      [1, 2],
      [3, 1],
    ]);
    expect(files.map((entry) => endingOf(entry, sets))).toEqual(['zz1', 'zz1', 'zz1', '']);
    expect([...nearest(files, sets, 'opacity')]).toContainEqual([2, 3]);
  });
  it('never fall back to a shorter name: the bark that has a height is not the oak', () => {
    const sets = [set(1, 'oak'), set(2, 'oak_bark', ['height'])];
    expect(nearest([file(1, 'oak_bark_zz1.png')], sets, 'height').size).toBe(0);
    expect(nearest([file(1, 'elm_zz1.png')], [set(1, 'elm'), set(2, 'Elm')], 'height').size).toBe(0);
  });
  it('are left to a person where two speak for one set, and gloss fills roughness', () => {
    const files = [file(1, 'oak_a.png'), file(2, 'oak_b.png')];
    expect(nearest(files, [set(1, 'oak')], 'height').size).toBe(0);
    expect(nearest([file(1, 'oak_a.png')], [set(1, 'oak', ['roughness'])], 'gloss').size).toBe(0);
  });
});
