// How the board is looked at: which sets are shown, in what order and in which folders. Pure; the page keeps it in its address.
import type { Board } from '@/api/client';

import { standingOf, type Standing } from './board';

export type BoardSet = Board['sets'][number];
export type BoardFolder = Board['folders'][number];
export type Sort = 'name' | 'touched' | 'worst';

export interface BoardLook {
  words: string;
  /** A stage and how it stands there: “built:none”. */
  stage: string;
  rule: string;
  lacks: string;
  target: string;
  tag: string;
  by: string;
  folder: number;
  sort: Sort;
}
export const PLAIN: BoardLook = {
  words: '',
  stage: '',
  rule: '',
  lacks: '',
  target: '',
  tag: '',
  by: '',
  folder: 0,
  sort: 'name',
};
export type Line =
  | { kind: 'folder'; folder: BoardFolder; depth: number; count: number; standing: Standing; open: boolean }
  | { kind: 'set'; set: BoardSet; depth: number };

/** A folder and all that lie in it, by their ids. */
export function inside(folders: readonly BoardFolder[], id: number): Set<number> {
  const found = new Set([id]);
  for (let grew = true; grew;) {
    grew = false;
    for (const folder of folders)
      if (folder.parent !== null && found.has(folder.parent) && !found.has(folder.id)) {
        found.add(folder.id);
        grew = true;
      }
  }
  return found;
}

/** The sets that are looked for, in the order that is asked for. */
export function looked(board: Pick<Board, 'sets' | 'folders'>, look: BoardLook): BoardSet[] {
  const words = look.words.toLowerCase().split(/\s+/).filter(Boolean);
  const paths = new Map(board.folders.map((folder) => [folder.id, folder.path.toLowerCase()]));
  const within = look.folder ? inside(board.folders, look.folder) : null;
  const [stage = '', state = ''] = look.stage.split(':');
  const found = board.sets.filter((set) => {
    if (words.length) {
      const text = `${paths.get(set.folder ?? 0) ?? ''}/${set.name} ${set.tags.join(' ')}`.toLowerCase();
      if (!words.every((word) => text.includes(word))) return false;
    }
    if (within && !within.has(set.folder ?? 0)) return false;
    if (stage && (set.cells[stage]?.state ?? 'none') !== state) return false;
    if (look.rule && !set.rules.includes(look.rule)) return false;
    if (look.lacks && !set.lacks.includes(look.lacks)) return false;
    if (look.target && set.target_name !== look.target) return false;
    if (look.tag && !set.tags.includes(look.tag)) return false;
    return !look.by || set.touched_by === look.by;
  });
  const rank: Record<Standing, number> = { wrong: 0, look: 1, holds: 2 };
  return found.sort((a, b) => {
    if (look.sort === 'touched' && a.touched !== b.touched) return a.touched < b.touched ? 1 : -1;
    const worst = look.sort === 'worst' ? rank[standingOf(a)] - rank[standingOf(b)] : 0;
    return worst || a.name.localeCompare(b.name, undefined, { numeric: true });
  });
}

function worstOf(sets: readonly BoardSet[]): Standing {
  const standings = sets.map(standingOf);
  return standings.includes('wrong') ? 'wrong' : standings.includes('look') ? 'look' : 'holds';
}

/** Sets in their folders, which nest: sets of no folder first, then each folder with what lies in it. Folders that hold none of the
 * sets are shown where `empty` says so. What is folded is not listed. */
export function inFolders(
  sets: readonly BoardSet[],
  folders: readonly BoardFolder[],
  folded: ReadonlySet<number>,
  empty: boolean,
): Line[] {
  const bySet = new Map<number | null, BoardSet[]>();
  const known = new Set(folders.map((folder) => folder.id));
  for (const set of sets) {
    const place = set.folder !== null && known.has(set.folder) ? set.folder : null;
    bySet.set(place, [...(bySet.get(place) ?? []), set]);
  }
  const children = new Map<number | null, BoardFolder[]>();
  for (const folder of folders) children.set(folder.parent, [...(children.get(folder.parent) ?? []), folder]);
  const all = (id: number): BoardSet[] => [
    ...(bySet.get(id) ?? []),
    ...(children.get(id) ?? []).flatMap((child) => all(child.id)),
  ];
  const lines: Line[] = [];
  const walk = (id: number | null, depth: number): void => {
    for (const set of bySet.get(id) ?? []) lines.push({ kind: 'set', set, depth });
    for (const folder of children.get(id) ?? []) {
      const held = all(folder.id);
      if (!held.length && !empty) continue;
      const open = !folded.has(folder.id);
      lines.push({ kind: 'folder', folder, depth, count: held.length, standing: worstOf(held), open });
      if (open) walk(folder.id, depth + 1);
    }
  };
  walk(null, 0);
  return lines;
}

/** What is chosen after a click on a row of a list: it alone is turned over, or (with shift) all from the last one to it. */
export function choose(
  chosen: ReadonlySet<number>,
  list: readonly number[],
  at: number,
  last: number | null,
  range: boolean,
): Set<number> {
  const next = new Set(chosen);
  const from = last === null ? -1 : list.indexOf(last);
  const to = list.indexOf(at);
  if (range && from >= 0 && to >= 0) {
    for (const id of list.slice(Math.min(from, to), Math.max(from, to) + 1)) next.add(id);
    return next;
  }
  if (!next.delete(at)) next.add(at);
  return next;
}
