// What the parts beside a sheet's rows have in common: changing an entry of a list, taking one away, and what is wrong with one.
import type { Schemas } from '@/api/client';

import type { Sheet } from './sheet';

type Lists = 'parameters' | 'textures' | 'layers';

export function sheetEdits(
  change: (how: (sheet: Sheet) => void) => void,
  problems: () => readonly Schemas['MasterProblem'][],
) {
  function wrongAt(...place: (string | number)[]): string {
    const found = problems().find((problem) => place.every((part, at) => problem.place[at] === part));
    return found ? `${found.message} ${found.way_out}` : '';
  }
  function put<K extends Lists>(list: K, at: number, what: Partial<Sheet[K][number]>): void {
    change((sheet) => void Object.assign(sheet[list][at] ?? {}, what));
  }
  function drop(list: Lists, at: number): void {
    change((sheet) => void sheet[list].splice(at, 1));
  }
  /** Move an entry to another place of its list. */
  function move(list: Lists, from: number, to: number): void {
    change((sheet) => {
      const held = sheet[list] as unknown[];
      if (to < 0 || to >= held.length) return;
      held.splice(to, 0, ...held.splice(from, 1));
    });
  }
  return { wrongAt, put, drop, move };
}
