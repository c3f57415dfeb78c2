// Grids of points that are drawn with fewer triangles while something moves: below a few pixels each, triangles cost a GPU without
// hardware more than what lies on them (it shades four pixels for each that an edge touches).
import * as THREE from 'three';

interface Thinned {
  whole: THREE.BufferAttribute | null;
  thin: THREE.BufferAttribute;
}

/** Let a grid of so many columns and rows, as three's planes and spheres are, be drawn with each so-many-th point alone. */
export function thinnable(
  geometry: THREE.BufferGeometry,
  columns: number,
  rows: number,
  step: number,
): THREE.BufferGeometry {
  const corners: number[] = [];
  for (let row = 0; row < rows; row += step) {
    for (let column = 0; column < columns; column += step) {
      const [right, below] = [Math.min(column + step, columns), Math.min(row + step, rows)];
      const at = (x: number, y: number) => y * (columns + 1) + x;
      corners.push(at(right, row), at(column, row), at(right, below));
      corners.push(at(column, row), at(column, below), at(right, below));
    }
  }
  const thinned: Thinned = { whole: geometry.index, thin: new THREE.Uint32BufferAttribute(corners, 1) };
  geometry.userData.thinned = thinned;
  return geometry;
}

/** Draw a geometry thinly, where it can be, or wholly. Gives whether its triangles are others now. */
export function thin(geometry: THREE.BufferGeometry, thinly: boolean): boolean {
  const held = geometry.userData.thinned as Thinned | undefined;
  const wanted = held && (thinly ? held.thin : held.whole);
  if (!wanted || geometry.index === wanted) return false;
  geometry.setIndex(wanted);
  return true;
}
