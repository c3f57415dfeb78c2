// Painting on the points of a mesh: four numbers each, linear, as glTF 2.0 keeps them in COLOR_0. A mesh shows no finer blend than
// its points lie apart.
import * as THREE from 'three';

export const CHANNELS = ['red', 'green', 'blue', 'alpha'] as const;

export interface Brush {
  /** Which of the four numbers is painted, and towards what. */
  channel: number;
  towards: number;
  /** How far it reaches, in the geometry's own measure. */
  radius: number;
  /** How much of the way one dab goes, 0 to 1. */
  strength: number;
  /** How much of the radius is a soft border, 0 to 1. */
  softness: number;
  /** Bring what is under it together instead. */
  smooth: boolean;
}

/** What is painted on a geometry, four numbers a point; nothing where nothing was. What came with three has an alpha of 1. */
export function paintOf(geometry: THREE.BufferGeometry): THREE.BufferAttribute {
  const known = geometry.getAttribute('paint') as THREE.BufferAttribute | undefined;
  if (known && known.itemSize === 4 && known.array instanceof Float32Array) return known;
  const count = geometry.getAttribute('position').count;
  const made = new THREE.BufferAttribute(new Float32Array(count * 4), 4);
  for (let at = 0; known && at < count; at++)
    made.setXYZW(at, known.getX(at), known.getY(at), known.getZ(at), known.itemSize > 3 ? known.getW(at) : 1);
  geometry.setAttribute('paint', made);
  return made;
}

/** The smallest and the largest of each number that is painted on a geometry: all 0 where nothing is. */
export function spanOf(geometry: THREE.BufferGeometry): { low: Four; high: Four } {
  const paint = geometry.getAttribute('paint') as THREE.BufferAttribute | undefined;
  const [low, high]: [Four, Four] = [
    [0, 0, 0, 0],
    [0, 0, 0, 0],
  ];
  for (let part = 0; paint && part < 4; part++) {
    // What came with three numbers has an alpha of 1.
    const at = (point: number) => (part < paint.itemSize ? Math.max(0, paint.getComponent(point, part)) : 1);
    low[part] = high[part] = at(0);
    for (let point = 1; point < paint.count; point++) {
      low[part] = Math.min(low[part] ?? 0, at(point));
      high[part] = Math.max(high[part] ?? 0, at(point));
    }
  }
  return { low, high };
}
type Four = [number, number, number, number];

/** How much a brush does so far from its middle. */
export function weight({ radius, strength, softness }: Brush, away: number): number {
  const share = away / radius;
  if (share >= 1) return 0;
  const hard = 1 - softness;
  if (share <= hard) return strength;
  const left = (1 - share) / softness;
  return strength * left * left * (3 - 2 * left);
}

/** One dab at a place. Gives how many points it reached. */
export function dab(geometry: THREE.BufferGeometry, at: THREE.Vector3, brush: Brush): number {
  const place = geometry.getAttribute('position');
  const paint = paintOf(geometry);
  const reached: [number, number][] = [];
  const most = brush.radius * brush.radius;
  for (let point = 0; point < place.count; point++) {
    const [x, y, z] = [place.getX(point) - at.x, place.getY(point) - at.y, place.getZ(point) - at.z];
    const square = x * x + y * y + z * z;
    if (square < most) reached.push([point, weight(brush, Math.sqrt(square))]);
  }
  if (!reached.length) return 0;
  if (brush.smooth) {
    const mean = [0, 1, 2, 3].map(
      (part) => reached.reduce((sum, [point]) => sum + paint.getComponent(point, part), 0) / reached.length,
    );
    for (const [point, share] of reached)
      mean.forEach((value, part) => blend(paint, point, part, value, share));
  } else {
    for (const [point, share] of reached) blend(paint, point, brush.channel, brush.towards, share);
  }
  paint.needsUpdate = true;
  return reached.length;
}

function blend(
  paint: THREE.BufferAttribute,
  point: number,
  part: number,
  towards: number,
  share: number,
): void {
  const now = paint.getComponent(point, part);
  paint.setComponent(point, part, now + (towards - now) * share);
}

/** Give every point the same in one channel. */
export function fill(geometry: THREE.BufferGeometry, channel: number, value: number): void {
  const paint = paintOf(geometry);
  for (let point = 0; point < paint.count; point++) paint.setComponent(point, channel, value);
  paint.needsUpdate = true;
}

/** How far the points of a mesh lie apart, on average over its triangles. */
export function apart(geometry: THREE.BufferGeometry): number {
  const place = geometry.getAttribute('position');
  const { index } = geometry;
  const corners = index?.count ?? place.count;
  const step = Math.max(1, Math.floor(corners / 3 / 4000)) * 3;
  const [a, b] = [new THREE.Vector3(), new THREE.Vector3()];
  let [sum, count] = [0, 0];
  for (let at = 0; at + 2 < corners; at += step) {
    for (const [from, to] of [
      [0, 1],
      [1, 2],
      [2, 0],
    ] as const) {
      a.fromBufferAttribute(place, index ? index.getX(at + from) : at + from);
      b.fromBufferAttribute(place, index ? index.getX(at + to) : at + to);
      sum += a.distanceTo(b);
      count++;
    }
  }
  return count ? sum / count : 0;
}

/** The same mesh with four triangles in the place of each: points halfway along each edge, with all that points carry. */
export function denser(geometry: THREE.BufferGeometry): THREE.BufferGeometry {
  const flat = geometry.index ? geometry.toNonIndexed() : geometry;
  const made = new THREE.BufferGeometry();
  for (const [name, attribute] of Object.entries(flat.attributes)) {
    const size = attribute.itemSize;
    const triangles = attribute.count / 3;
    const array = new Float32Array(triangles * 12 * size);
    const corner = (triangle: number, at: number) =>
      Array.from({ length: size }, (_, part) => attribute.getComponent(triangle * 3 + at, part));
    for (let triangle = 0; triangle < triangles; triangle++) {
      const [a, b, c] = [0, 1, 2].map((at) => corner(triangle, at)) as [number[], number[], number[]];
      const [ab, bc, ca] = [between(name, a, b), between(name, b, c), between(name, c, a)];
      [a, ab, ca, ab, b, bc, ca, bc, c, ab, bc, ca].forEach((point, at) =>
        array.set(point, (triangle * 12 + at) * size),
      );
    }
    made.setAttribute(name, new THREE.BufferAttribute(array, size));
  }
  return made;
}

/** Halfway between what two points carry; directions stay of unit length, and a tangent keeps its side. */
function between(name: string, a: number[], b: number[]): number[] {
  const middle = a.map((value, at) => (value + (b[at] ?? value)) / 2);
  if (name !== 'normal' && name !== 'tangent') return middle;
  const length = Math.hypot(...middle.slice(0, 3)) || 1;
  return middle.map((value, at) => (at < 3 ? value / length : (a[3] ?? 1)));
}

/** A part of a model, as far as painting changes it. */
export interface Paintable {
  geometry: THREE.BufferGeometry;
  triangles: number;
  /** How often each of its triangles was made into four. */
  denser: number;
}
type State<Part> = Paintable & { part: Part; paint: Float32Array };

/** What was painted, step by step, so that each can be taken back: a stroke, a fill, a density that was raised. */
export class Strokes<Part extends Paintable> {
  private readonly past: Map<Part, State<Part>>[] = [];
  /** How parts were when the model was opened. */
  private readonly opened = new Map<Part, State<Part>>();

  /** A step begins; `touch` says which parts it reaches before they change. */
  begin(): void {
    this.past.push(new Map());
  }

  touch(part: Part): void {
    const step = this.past.at(-1);
    if (!step || step.has(part)) return;
    const { geometry, triangles, denser } = part;
    const state = {
      part,
      geometry,
      triangles,
      denser,
      paint: Float32Array.from(paintOf(geometry).array),
    };
    step.set(part, state);
    if (!this.opened.has(part)) this.opened.set(part, state);
  }

  /** Take the last step back. Gives the parts that have another geometry now; null where there was no step. */
  undo(): Part[] | null {
    const step = this.past.pop();
    if (!step) return null;
    const reshaped: Part[] = [];
    for (const { part, geometry, triangles, denser, paint } of step.values()) {
      if (part.geometry !== geometry) reshaped.push(part);
      Object.assign(part, { geometry, triangles, denser });
      const held = paintOf(geometry);
      (held.array as Float32Array).set(paint);
      held.needsUpdate = true;
    }
    return reshaped;
  }

  /** The parts that are not as they were when the model was opened. */
  changed(): Part[] {
    return [...this.opened.values()]
      .filter(({ part, geometry, paint }) => {
        if (part.geometry !== geometry) return true;
        const { array } = paintOf(geometry);
        return paint.some((value, at) => value !== array[at]);
      })
      .map(({ part }) => part);
  }

  /** How many steps can be taken back. */
  get count(): number {
    return this.past.length;
  }
}
