// How sets stand and lie, from the board.
import type { Board } from '@/api/client';

export type Standing = 'wrong' | 'look' | 'holds';
type Sets = Board['sets'];

/** The worst state among a set's stages; a stage that has not been reached is none. */
export function standingOf(set: Sets[number]): Standing {
  const states = Object.values(set.cells).map((cell) => cell.state);
  if (states.includes('wrong')) return 'wrong';
  return states.includes('look') ? 'look' : 'holds';
}

/** The sets that every word of a search stands in, in their name or folder; letter case does not count. */
export function matching(sets: Sets, search: string): Sets {
  const words = search.toLowerCase().split(/\s+/).filter(Boolean);
  return sets.filter((set) => {
    const text = `${set.folder}/${set.name}`.toLowerCase();
    return words.every((word) => text.includes(word));
  });
}

export interface Folder {
  folder: string;
  /** The end of the path that tells this folder from the others. */
  title: string;
  sets: Sets;
  standing: Standing;
}

/** Sets by the folder that their files came in, in order of the paths; those of no folder come first, as a folder without name. */
export function byFolder(sets: Sets): Folder[] {
  const folders = new Map<string, Sets>();
  for (const set of sets) folders.set(set.folder, [...(folders.get(set.folder) ?? []), set]);
  const paths = [...folders.keys()].sort((a, b) => a.localeCompare(b));
  return paths.map((folder) => {
    const here = folders.get(folder) ?? [];
    const standings = here.map(standingOf);
    const standing = standings.includes('wrong') ? 'wrong' : standings.includes('look') ? 'look' : 'holds';
    return { folder, title: telling(folder, paths), sets: here, standing };
  });
}

function telling(folder: string, paths: string[]): string {
  const parts = folder.split('/');
  for (let count = 1; count <= parts.length; count++) {
    const end = parts.slice(-count).join('/');
    if (paths.filter((path) => path === end || path.endsWith(`/${end}`)).length < 2) return end;
  }
  return folder;
}
