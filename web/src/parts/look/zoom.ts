// Where a picture lies on the table: zoom and pan, and which tiles of which level are wanted. Pure arithmetic.
import { TILE } from '@/lib/pictures/pictures';

export interface Size {
  width: number;
  height: number;
}

/** `zoom` is screen pixels a texel; `x` and `y` are the texel in the middle of the window. */
export interface Placement {
  zoom: number;
  x: number;
  y: number;
}

export interface LevelTile {
  level: number;
  column: number;
  row: number;
}

export const CLOSEST = 64;
const FARTHEST_SHARE = 0.25;

/** The placement that shows the whole picture, repeated `times` times, with a little air. */
export function fit(picture: Size, view: Size, times = 1): Placement {
  const zoom = Math.min(view.width / (picture.width * times), view.height / (picture.height * times)) || 1;
  return { zoom, x: (picture.width * times) / 2, y: (picture.height * times) / 2 };
}

/** Zoom by a factor so that the texel under (`atX`, `atY`) stays there; between a quarter of fitting and 64 pixels a texel. */
export function zoomAt(
  from: Placement,
  factor: number,
  atX: number,
  atY: number,
  view: Size,
  picture: Size,
): Placement {
  const least = Math.min(fit(picture, view).zoom, 1) * FARTHEST_SHARE;
  const zoom = Math.min(CLOSEST, Math.max(least, from.zoom * factor));
  const dx = atX - view.width / 2;
  const dy = atY - view.height / 2;
  return { zoom, x: from.x + dx / from.zoom - dx / zoom, y: from.y + dy / from.zoom - dy / zoom };
}

/** The texel under a point of the window, whether or not the picture reaches there. */
export function texelAt(from: Placement, atX: number, atY: number, view: Size): { x: number; y: number } {
  return {
    x: Math.floor(from.x + (atX - view.width / 2) / from.zoom),
    y: Math.floor(from.y + (atY - view.height / 2) / from.zoom),
  };
}

/** The level at which a picture fits one tile. */
export function topLevel(picture: Size): number {
  let level = 0;
  while (Math.max(picture.width, picture.height) > TILE * 2 ** level) level++;
  return level;
}

/** The level that is sharp enough: the coarsest whose texels are no larger than a screen pixel. */
export function levelFor(zoom: number, picture: Size): number {
  return Math.max(0, Math.min(topLevel(picture), Math.floor(Math.log2(1 / zoom))));
}

/** The tiles of a level that the window touches, of a picture repeated `times` times each way; each tile once. */
export function tilesFor(from: Placement, view: Size, picture: Size, level: number, times = 1): LevelTile[] {
  const size = TILE * 2 ** level;
  const columns = spans(from.x, from.zoom, view.width, picture.width, size, times);
  const rows = spans(from.y, from.zoom, view.height, picture.height, size, times);
  return rows.flatMap((row) => columns.map((column) => ({ level, column, row })));
}

function spans(
  middle: number,
  zoom: number,
  view: number,
  length: number,
  size: number,
  times: number,
): number[] {
  const first = middle - view / 2 / zoom;
  const last = middle + view / 2 / zoom;
  const found = new Set<number>();
  for (let time = 0; time < times; time++) {
    const low = Math.max(0, Math.floor((first - time * length) / size));
    const high = Math.min(Math.ceil(length / size) - 1, Math.floor((last - time * length) / size));
    for (let index = low; index <= high; index++) found.add(index);
  }
  return [...found].sort((a, b) => a - b);
}
