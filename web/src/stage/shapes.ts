// The stage's own shapes. Texture coordinates have their first row at the top, as textures have, and tangents point along u with
// the bitangent up in the picture, as glTF asks.
import * as THREE from 'three';

import { paintStripes } from './mesh';
import { thinnable } from './thin';

export const SHAPES = ['sphere', 'plane', 'cube', 'cloth', 'corner', 'ground'] as const;
export type Shape = (typeof SHAPES)[number];
export const SHAPE_WORDS: Record<Shape, string> = {
  sphere: 'Sphere',
  plane: 'Plane',
  cube: 'Cube',
  cloth: 'Draped cloth',
  corner: 'Wall and floor',
  ground: 'Ground of 50 m',
};

/** A shape that is looked at: its parts' geometry, how often a surface repeats on it, and where the eye and the ground are. */
export interface Shaped {
  geometry: THREE.BufferGeometry;
  repeats: [number, number];
  /** The width of a picture in the shape's own measure, and how many points lie along it where the shape is fine enough to be
   * displaced; 0 where it is not. */
  span: number;
  points: number;
  turned: [number, number, number];
  /** How far below the middle the ground lies; null where the shape is one. */
  floor: number | null;
  eye: [number, number, number];
}

/** Shapes that can be made so fine that height moves their points. */
export const FINE: readonly Shape[] = ['sphere', 'plane'];

/** A shape; `fine` with as many points as height asks for, where it is one of FINE; `painted` with enough for stripes of paint. */
export function shaped(shape: Shape, fine = false, painted = false): Shaped {
  const made = MAKERS[shape](fine, painted);
  made.geometry.computeTangents();
  const uv = made.geometry.getAttribute('uv') as THREE.BufferAttribute;
  for (let at = 0; at < uv.count; at++) uv.setY(at, 1 - uv.getY(at));
  paintStripes(made.geometry);
  return made;
}

/** Points along a picture of what is fine, and of what shows stripes of paint. */
const POINTS = 224;
const STRIPED = 64;
const USUAL = { repeats: [1, 1], span: 1, points: 0, turned: [0, 0, 0], eye: [0, 0.35, 4.4] } as const;
const MAKERS: Record<Shape, (fine: boolean, painted: boolean) => Shaped> = {
  // A sphere is twice as far around as from pole to pole.
  sphere: (fine, painted) => ({
    ...usual(),
    geometry: fine ? ball(2 * POINTS, POINTS, 4) : ball(128, 96, painted ? 2 : 4),
    repeats: [2, 1],
    span: Math.PI,
    points: fine ? POINTS : 0,
    floor: 1,
  }),
  plane: (fine, painted) => ({
    ...usual(),
    geometry: fine ? sheet(1.9, POINTS, 4) : sheet(1.9, painted ? STRIPED : 1, 1),
    span: 1.9,
    points: fine ? POINTS : 0,
    floor: null,
    eye: [0, 0, 4.4],
  }),
  cube: () => ({
    ...usual(),
    geometry: closed(new THREE.BoxGeometry(1.3, 1.3, 1.3)),
    turned: [0, 0.7, 0],
    floor: 0.65,
    eye: [0, 1.4, 4.2],
  }),
  cloth: () => ({ ...usual(), geometry: cloth(), floor: 0.92, repeats: [2, 2], eye: [0, 1.9, 5.3] }),
  corner: () => ({ ...usual(), geometry: corner(), floor: null, eye: [3.2, 1.3, 5.4] }),
  ground: () => ({ ...usual(), geometry: ground(), floor: null, repeats: [25, 25], eye: [0, 0.9, 5.2] }),
};

function ball(around: number, down: number, step: number): THREE.BufferGeometry {
  return closed(thinnable(new THREE.SphereGeometry(1, around, down), around, down, step));
}

/** What nobody sees the inside of, as long as it is solid. */
function closed(geometry: THREE.BufferGeometry): THREE.BufferGeometry {
  geometry.userData.closed = true;
  return geometry;
}

function sheet(edge: number, points: number, step: number): THREE.BufferGeometry {
  return thinnable(new THREE.PlaneGeometry(edge, edge, points, points), points, points, step);
}

function usual(): Omit<Shaped, 'geometry' | 'floor'> {
  const { span, points } = USUAL;
  return { span, points, repeats: [...USUAL.repeats], turned: [...USUAL.turned], eye: [...USUAL.eye] };
}

/** A square cloth over a ball: it lies on the ball, hangs in folds around it, and spreads a little on the ground. */
function cloth(): THREE.BufferGeometry {
  const geometry = sheet(3.6, 160, 4);
  const place = geometry.getAttribute('position') as THREE.BufferAttribute;
  const ball = 0.72;
  for (let at = 0; at < place.count; at++) {
    const x = place.getX(at);
    const z = -place.getY(at);
    const out = Math.hypot(x, z);
    const around = Math.atan2(z, x);
    const bend = Math.min(out / ball, Math.PI / 2);
    const hangs = Math.max(0, out - (ball * Math.PI) / 2);
    // Folds grow as the cloth leaves the ball; their number is whole, so that they close.
    const fold = Math.min(1, hangs / 0.35);
    const wave = Math.cos(around * 9 + 0.6 * Math.sin(around * 3)) * 0.13 * fold;
    const flat = Math.max(0, hangs - 0.9);
    const reach = ball * Math.sin(bend) + hangs * 0.16 + wave + flat * 0.8;
    const high = Math.max(-0.9, ball * Math.cos(bend) - Math.min(hangs, 0.9 + ball * 0.02)) + 0.02 * wave;
    place.setXYZ(at, Math.cos(around) * reach, high, Math.sin(around) * reach);
  }
  geometry.computeVertexNormals();
  return geometry;
}

/** A wall of two metres and the floor before it, each with the whole picture once. */
function corner(): THREE.BufferGeometry {
  const wall = new THREE.PlaneGeometry(2.4, 2.4).translate(0, 0.2, -1.2);
  const floor = new THREE.PlaneGeometry(2.4, 2.4).rotateX(-Math.PI / 2).translate(0, -1, 0);
  return joined([wall, floor]);
}

/** A ground of 50 m: a surface of two metres stands 25 times along each edge. */
function ground(): THREE.BufferGeometry {
  return sheet(50, 50, 5)
    .rotateX(-Math.PI / 2)
    .translate(0, -0.9, -19);
}

/** One geometry of several with the same attributes. */
function joined(parts: THREE.BufferGeometry[]): THREE.BufferGeometry {
  const made = new THREE.BufferGeometry();
  const index: number[] = [];
  let first = 0;
  for (const part of parts) {
    for (const at of part.getIndex()?.array ?? []) index.push(at + first);
    first += part.getAttribute('position').count;
  }
  for (const name of ['position', 'normal', 'uv']) {
    const arrays = parts.map((part) => Array.from(part.getAttribute(name).array));
    const size = parts[0]?.getAttribute(name).itemSize ?? 3;
    made.setAttribute(name, new THREE.Float32BufferAttribute(arrays.flat(), size));
  }
  made.setIndex(index);
  return made;
}

/** Half of a person of 1.75 m in outline, from the neck down the right side to between the legs: metres across and up. */
const HALF = [
  ...[
    [0.05, 1.52],
    [0.1, 1.45],
    [0.2, 1.42],
    [0.235, 1.33],
    [0.25, 1.1],
    [0.255, 0.86],
    [0.235, 0.76],
    [0.205, 0.84],
  ],
  ...[
    [0.19, 1.06],
    [0.165, 1.22],
    [0.145, 1.08],
    [0.165, 0.92],
    [0.16, 0.7],
    [0.125, 0.46],
    [0.09, 0.1],
    [0.13, 0.01],
  ],
  ...[
    [0.04, 0.01],
    [0.035, 0.1],
    [0.03, 0.46],
    [0.012, 0.8],
  ],
] as [number, number][];

/** A person in outline, to tell sizes by. */
export function figure(): THREE.Mesh {
  const head = new THREE.Shape();
  head.absellipse(0, 1.63, 0.088, 0.118, 0, Math.PI * 2);
  const right = HALF.map(([x, y]) => new THREE.Vector2(x, y));
  const left = HALF.map(([x, y]) => new THREE.Vector2(-x, y)).reverse();
  const body = new THREE.Shape();
  body.moveTo(0, 1.54);
  body.splineThru(right);
  body.splineThru([...left, new THREE.Vector2(0, 1.54)]);
  const ink = new THREE.MeshBasicMaterial({ color: 0x3a4048, side: THREE.DoubleSide });
  const made = new THREE.Mesh(new THREE.ShapeGeometry([head, body], 24), ink);
  made.position.set(-1.6, -0.9, -1.5);
  return made;
}
