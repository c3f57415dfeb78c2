// What files of no set may be taken as, and which set the name of one speaks for.
import type { Board, FileView } from '@/api/client';

type BoardSet = Board['sets'][number];

export const PROPERTIES = [
  { key: 'base_colour', title: 'Base colour', components: 3 },
  { key: 'opacity', title: 'Opacity', components: 1 },
  { key: 'normal', title: 'Normal', components: 3 },
  { key: 'roughness', title: 'Roughness', components: 1 },
  { key: 'gloss', title: 'Gloss', components: 1 },
  { key: 'metallic', title: 'Metallic', components: 1 },
  { key: 'occlusion', title: 'Occlusion', components: 1 },
  { key: 'height', title: 'Height', components: 1 },
  { key: 'emissive', title: 'Emissive', components: 3 },
  { key: 'specular', title: 'Specular colour', components: 3 },
  { key: 'mask.01', title: 'Mask 01', components: 1 },
];

/** The row that a property fills: gloss is roughness, inverted. */
export const rowOf = (property: string): string => (property === 'gloss' ? 'roughness' : property);

const plain = (name: string): string => name.toLowerCase().replace(/[\W_]+/g, '');

/** How many signs two names begin with alike, without case and separators. */
export function alike(one: string, other: string): number {
  const [a, b] = [plain(one), plain(other)];
  let count = 0;
  while (count < a.length && a[count] === b[count]) count += 1;
  return count;
}

/** What a file's name ends in, after the set's whose whole name it begins with; "" where it begins with none. */
export function endingOf(file: FileView, sets: BoardSet[]): string {
  const name = plain(file.name.replace(/\.[^.]+$/, ''));
  const longest = Math.max(
    0,
    ...sets.map((set) => plain(set.name)).map((set) => (name.startsWith(set) ? set.length : 0)),
  );
  return longest ? name.slice(longest) : '';
}

/** The sets that files would go into as a property, by file: the set whose whole name a file's begins with, the longest of several,
 * where that one lacks the property. Where two files speak for one set, or one for two of one name, none does. */
export function nearest(files: FileView[], sets: BoardSet[], property: string): Map<number, number> {
  const found = new Map<number, number>();
  for (const file of files) {
    const fits = sets.filter(({ name }) => plain(name) && plain(file.name).startsWith(plain(name)));
    const longest = Math.max(...fits.map(({ name }) => plain(name).length));
    const [best, another] = fits.filter(({ name }) => plain(name).length === longest);
    if (best && !another && !best.has.includes(rowOf(property))) found.set(file.id, best.id);
  }
  const counts = new Map<number, number>();
  for (const set of found.values()) counts.set(set, (counts.get(set) ?? 0) + 1);
  return new Map([...found].filter(([, set]) => counts.get(set) === 1));
}
