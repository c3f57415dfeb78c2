// How the board is looked at: folders that nest, filters, order, and choosing rows.
import { describe, expect, it } from 'vitest';

import { PLAIN, choose, inFolders, inside, looked, type BoardSet, type Line } from './boardview';

const FOLDERS = [
  { id: 1, parent: null, name: 'town', path: 'town' },
  { id: 2, parent: 1, name: 'mill', path: 'town/mill' },
  { id: 3, parent: 2, name: 'wheel', path: 'town/mill/wheel' },
  { id: 4, parent: null, name: 'empty', path: 'empty' },
];
const set = (id: number, name: string, folder: number | null, more: Partial<BoardSet> = {}): BoardSet =>
  ({
    id,
    name,
    folder,
    target_name: 'desktop',
    lacks: [],
    rules: [],
    tags: [],
    touched: `2026-11-${10 + id}T10:00:00Z`,
    touched_by: 'wren',
    cells: { built: { state: 'holds', count: 0, first: '' } },
    ...more,
  }) as unknown as BoardSet;
const wrong = { built: { state: 'wrong', count: 2, first: '' } } as unknown as BoardSet['cells'];
const SETS = [
  set(1, 'wall10', 2),
  set(2, 'wall9', 2, { tags: ['hero'], touched_by: 'kestrel' }),
  set(3, 'axle', 3, { cells: wrong, rules: ['seam'], lacks: ['normal'] }),
  set(4, 'oak', null, { target_name: 'handheld' }),
  set(5, 'gone', 99),
];
const BOARD = {
  sets: SETS,
  folders: FOLDERS,
};
const names = (look: Partial<typeof PLAIN>) => looked(BOARD, { ...PLAIN, ...look }).map(({ name }) => name);
const shown = (lines: Line[]) =>
  lines.map(
    (line) =>
      '  '.repeat(line.depth) + (line.kind === 'set' ? line.set.name : `${line.folder.name} ${line.count}`),
  );

describe('sets in their folders', () => {
  it('lie in order of name with numbers as numbers, folders after what lies beside them', () => {
    const all = looked(BOARD, PLAIN);
    expect(shown(inFolders(all, FOLDERS, new Set(), false))).toEqual([
      'gone',
      'oak',
      'town 3',
      '  mill 3',
      '    wall9',
      '    wall10',
      '    wheel 1',
      '      axle',
    ]);
    expect(shown(inFolders(all, FOLDERS, new Set([2]), true))).toEqual([
      'gone',
      'oak',
      'town 3',
      '  mill 3',
      'empty 0',
    ]);
  });

  it('say of a folder how the worst in it stands, however deep', () => {
    const town = inFolders(SETS, FOLDERS, new Set([1]), false).find((line) => line.kind === 'folder');
    expect(town).toMatchObject({ standing: 'wrong', open: false });
  });

  it('a folder holds itself and what lies in it', () => {
    expect([...inside(FOLDERS, 1)].sort()).toEqual([1, 2, 3]);
    expect([...inside(FOLDERS, 3)]).toEqual([3]);
  });
});

describe('what is looked for', () => {
  it.each([
    [{ words: 'mill wall' }, ['wall9', 'wall10']],
    [{ words: 'HERO' }, ['wall9']],
    [{ folder: 2 }, ['axle', 'wall9', 'wall10']],
    [{ stage: 'built:wrong' }, ['axle']],
    [{ stage: 'proved:none' }, ['axle', 'gone', 'oak', 'wall9', 'wall10']],
    [{ rule: 'seam' }, ['axle']],
    [{ lacks: 'normal' }, ['axle']],
    [{ target: 'handheld' }, ['oak']],
    [{ by: 'kestrel' }, ['wall9']],
    [{ by: 'kestrel', rule: 'seam' }, []],
    [{ sort: 'touched' as const }, ['gone', 'oak', 'axle', 'wall9', 'wall10']],
    [{ sort: 'worst' as const }, ['axle', 'gone', 'oak', 'wall9', 'wall10']],
  ])('%o', (look, expected) => expect(names(look)).toEqual(expected));
});

describe('choosing rows', () => {
  const list = [7, 3, 9, 4, 1];
  it('turns one over, and takes all between with shift', () => {
    const one = choose(new Set(), list, 3, null, false);
    expect([...one]).toEqual([3]);
    expect([...choose(one, list, 1, 3, true)]).toEqual([3, 9, 4, 1]);
    expect([...choose(one, list, 7, 3, true)].sort()).toEqual([3, 7]);
    expect([...choose(one, list, 3, 3, false)]).toEqual([]);
    // What was clicked last is not in the list any more.
    expect([...choose(new Set([3]), list, 9, 55, true)]).toEqual([3, 9]);
  });
});
