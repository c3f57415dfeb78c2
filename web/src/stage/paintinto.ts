// What is painted, put into the glTF file that the model came from: the points of painted parts get COLOR_0 (glTF 2.0, Meshes), and
// parts whose density was raised get the points that were added. All else is as it was, and the numbers that were there keep their
// bytes: what is new is appended.
import * as THREE from 'three';

import type { ModelPart } from './model';
import { paintOf } from './painting';
import type { Origin } from './plain';
import { readGltf } from './read';

/** The parts of a glTF description that are written to. All else goes through untouched. */
interface Described {
  accessors?: Accessor[];
  bufferViews?: BufferView[];
  buffers?: { byteLength: number; uri?: string }[];
  meshes?: { primitives: Primitive[] }[];
  nodes?: { mesh?: number }[];
}
interface Accessor {
  bufferView?: number;
  byteOffset?: number;
  componentType: number;
  normalized?: boolean;
  type: string;
  count: number;
}
interface BufferView {
  buffer: number;
  byteOffset?: number;
  byteLength: number;
  target?: number;
  byteStride?: number;
  extensions?: object;
}
interface Primitive {
  attributes: Record<string, number>;
  indices?: number;
  mode?: number;
}
/** A glTF file taken apart: its description, and what lies beside it in a .glb. */
interface Opened {
  described: Described;
  beside: Uint8Array | null;
  /** Whether it is a .glb. */
  binary: boolean;
}

const MAGIC = 0x46546c67;
const [JSON_CHUNK, BIN_CHUNK] = [0x4e4f534a, 0x004e4942];
/** Component types and targets of buffers (glTF 2.0). */
const [UNSIGNED_SHORT, UNSIGNED_INT, FLOAT] = [5123, 5125, 5126];
const [ARRAY_BUFFER, ELEMENT_ARRAY_BUFFER] = [34962, 34963];

/** The file of a model with what is painted on some of its parts. Throws an Error with what stands in the way. */
export async function paintInto(file: Blob, name: string, parts: readonly ModelPart[]): Promise<Blob> {
  const { described, beside, binary } = opened(await file.arrayBuffer());
  const added = new Added(described, beside);
  const deeper = parts.some((part) => part.denser > 0);
  const shapes = deeper ? await shapesOf(file, name) : null;
  for (const part of parts) {
    const { origin } = part;
    if (!origin) throw new Error(`has no place for what is painted on ${part.name}. Export it as .glb anew.`);
    const primitive = ownPrimitive(described, origin);
    const shape = shapes?.get(`${origin.node} ${origin.primitive}`);
    const { corners, points } = part.denser && shape ? raised(primitive, shape, part.denser, added) : origin;
    const colours = coloursOf(part, corners, points);
    // What was painted before gives way: else a file would grow with each time that it is kept.
    if (!added.over(primitive.attributes.COLOR_0, colours))
      primitive.attributes.COLOR_0 = added.colours(colours);
  }
  return written(described, added.joined(), binary);
}

/** Four numbers of each point in the file, from what is painted on the corners that stand on the stage. */
function coloursOf(part: ModelPart, corners: Uint32Array | null, count: number): Uint16Array<ArrayBuffer> {
  const paint = paintOf(part.geometry);
  const colours = new Uint16Array(count * 4);
  for (let corner = 0; corner < paint.count; corner++)
    for (let channel = 0; channel < 4; channel++) {
      const value = Math.min(1, Math.max(0, paint.getComponent(corner, channel)));
      colours[(corners?.[corner] ?? corner) * 4 + channel] = Math.round(value * 65535);
    }
  return colours;
}

/** The primitive that a node shows, its own: where several nodes show one mesh, this node gets a copy of the description, which
 * reads the same numbers. */
function ownPrimitive(described: Described, { node, primitive }: Origin): Primitive {
  const holder = described.nodes?.[node];
  const mesh = described.meshes?.[holder?.mesh ?? -1];
  if (!holder || !mesh || !described.meshes) throw new Error('is damaged: a node shows no mesh.');
  const shared = (described.nodes ?? []).filter((other) => other.mesh === holder.mesh).length > 1;
  if (shared) {
    described.meshes.push(JSON.parse(JSON.stringify(mesh)) as { primitives: Primitive[] });
    holder.mesh = described.meshes.length - 1;
  }
  const held = described.meshes[holder.mesh ?? -1]?.primitives[primitive];
  if (!held) throw new Error('is damaged: a mesh lacks a part.');
  return held;
}

/** Give a primitive four triangles for each, as often as asked: its points stay, in their order, and those halfway along the edges
 * come behind them. */
function raised(
  primitive: Primitive,
  shape: THREE.BufferGeometry,
  times: number,
  added: Added,
): Pick<Origin, 'corners' | 'points'> {
  let corners = Uint32Array.from(
    shape.index?.array ?? [...Array(shape.getAttribute('position').count).keys()],
  );
  const first = shape.getAttribute('position').count;
  const pairs: [number, number][] = [];
  for (let time = 0; time < times; time++) {
    const known = new Map<string, number>();
    const halfway = (a: number, b: number): number => {
      const key = a < b ? `${a} ${b}` : `${b} ${a}`;
      const held = known.get(key);
      if (held !== undefined) return held;
      pairs.push([a, b]);
      known.set(key, first + pairs.length - 1);
      return first + pairs.length - 1;
    };
    const next = new Uint32Array(Math.floor(corners.length / 3) * 12);
    for (let at = 0; at + 2 < corners.length; at += 3) {
      const [a, b, c] = corners.slice(at, at + 3) as unknown as [number, number, number];
      const [ab, bc, ca] = [halfway(a, b), halfway(b, c), halfway(c, a)];
      // In the order in which the stage cuts its triangles.
      next.set([a, ab, ca, ab, b, bc, ca, bc, c, ab, bc, ca], at * 4);
    }
    corners = next;
  }
  for (const name of Object.keys(primitive.attributes)) {
    const attribute = shape.getAttribute(NAMES[name] ?? name.toLowerCase());
    if (!attribute)
      throw new Error(`has points whose ${name} cannot be read. Raise their density elsewhere.`);
    primitive.attributes[name] = added.floats(between(name, attribute, pairs), attribute.itemSize, name);
  }
  primitive.indices = added.indices(corners, first + pairs.length);
  // What was a strip or a fan is triangles now, which is what a primitive holds that says nothing.
  delete primitive.mode;
  return { corners, points: first + pairs.length };
}

/** How three calls the attributes of glTF that it knows. */
const NAMES: Record<string, string> = {
  POSITION: 'position',
  NORMAL: 'normal',
  TANGENT: 'tangent',
  TEXCOORD_0: 'uv',
  TEXCOORD_1: 'uv1',
  TEXCOORD_2: 'uv2',
  TEXCOORD_3: 'uv3',
  COLOR_0: 'color',
};

/** An attribute with the points halfway of some pairs behind it: directions stay of unit length, a tangent keeps its side. */
function between(
  name: string,
  attribute: THREE.BufferAttribute | THREE.InterleavedBufferAttribute,
  pairs: readonly [number, number][],
): Float32Array<ArrayBuffer> {
  const size = attribute.itemSize;
  const values = new Float32Array((attribute.count + pairs.length) * size);
  for (let point = 0; point < attribute.count; point++)
    for (let part = 0; part < size; part++) values[point * size + part] = attribute.getComponent(point, part);
  const direction = name === 'NORMAL' || name === 'TANGENT';
  pairs.forEach(([a, b], number) => {
    const at = (attribute.count + number) * size;
    for (let part = 0; part < size; part++)
      values[at + part] = ((values[a * size + part] ?? 0) + (values[b * size + part] ?? 0)) / 2;
    if (!direction) return;
    const length = Math.hypot(values[at] ?? 0, values[at + 1] ?? 0, values[at + 2] ?? 0) || 1;
    for (let part = 0; part < 3; part++) values[at + part] = (values[at + part] ?? 0) / length;
    if (size > 3) values[at + 3] = values[a * size + 3] ?? 1;
  });
  return values;
}

/** The shapes of a file's primitives as their nodes hold them, by node and primitive. */
async function shapesOf(file: Blob, name: string): Promise<Map<string, THREE.BufferGeometry>> {
  const { root, origins } = await readGltf(file, name, true);
  const shapes = new Map<string, THREE.BufferGeometry>();
  root.traverse((node) => {
    const origin = origins(node);
    if (node instanceof THREE.Mesh && origin)
      shapes.set(`${origin.node} ${origin.primitive}`, node.geometry as THREE.BufferGeometry);
  });
  return shapes;
}

/** What comes to a file: numbers behind those that lie beside its description, or in a buffer of their own where none do. */
class Added {
  private readonly pieces: Uint8Array<ArrayBuffer>[] = [];
  private length: number;
  private readonly buffer: number;

  constructor(
    private readonly described: Described,
    private readonly beside: Uint8Array | null,
  ) {
    described.accessors ??= [];
    described.bufferViews ??= [];
    described.buffers ??= [];
    this.length = beside ? padded(beside.length) : 0;
    this.buffer = beside ? 0 : described.buffers.length;
    if (!beside) described.buffers.push({ byteLength: 0 });
  }

  /** Put colours in the place of such as this writes them, where nothing else reads those. Gives whether there were any. */
  over(number: number | undefined, values: Uint16Array<ArrayBuffer>): boolean {
    const { accessors = [], bufferViews = [], meshes = [] } = this.described;
    const held = accessors[number ?? -1];
    const view = bufferViews[held?.bufferView ?? -1];
    const readers = meshes
      .flatMap(({ primitives }) => primitives)
      .filter(({ attributes }) => Object.values(attributes).includes(number ?? -1));
    if (!this.beside || !held || !view || view.buffer !== this.buffer || readers.length !== 1) return false;
    const alike = held.componentType === UNSIGNED_SHORT && held.normalized && held.type === 'VEC4';
    if (!alike || held.count * 4 !== values.length || view.byteStride || view.extensions) return false;
    const at = (view.byteOffset ?? 0) + (held.byteOffset ?? 0);
    if (at + values.byteLength > this.beside.length) return false;
    this.beside.set(new Uint8Array(values.buffer), at);
    return true;
  }

  colours(values: Uint16Array<ArrayBuffer>): number {
    const about = { componentType: UNSIGNED_SHORT, normalized: true, type: 'VEC4', count: values.length / 4 };
    return this.put(values, ARRAY_BUFFER, about);
  }

  floats(values: Float32Array<ArrayBuffer>, size: number, name: string): number {
    const count = values.length / size;
    const about: Accessor & { min?: number[]; max?: number[] } = {
      componentType: FLOAT,
      type: size === 1 ? 'SCALAR' : `VEC${size}`,
      count,
    };
    if (name === 'POSITION') {
      const along = [0, 1, 2].map((part) => values.filter((_, at) => at % 3 === part));
      about.min = along.map((list) => list.reduce((low, value) => Math.min(low, value), Infinity));
      about.max = along.map((list) => list.reduce((high, value) => Math.max(high, value), -Infinity));
    }
    return this.put(values, ARRAY_BUFFER, about);
  }

  indices(corners: Uint32Array<ArrayBuffer>, points: number): number {
    // The largest number that a type holds restarts a primitive and is none of its points.
    const small = points < 65535;
    const about = {
      componentType: small ? UNSIGNED_SHORT : UNSIGNED_INT,
      type: 'SCALAR',
      count: corners.length,
    };
    return this.put(small ? Uint16Array.from(corners) : corners, ELEMENT_ARRAY_BUFFER, about);
  }

  private put(
    values: Uint16Array<ArrayBuffer> | Uint32Array<ArrayBuffer> | Float32Array<ArrayBuffer>,
    target: number,
    about: Accessor,
  ): number {
    const bytes = new Uint8Array(values.buffer, values.byteOffset, values.byteLength);
    const { accessors = [], bufferViews = [] } = this.described;
    bufferViews.push({
      buffer: this.buffer,
      byteOffset: this.length,
      byteLength: bytes.length,
      target,
    });
    accessors.push({ bufferView: bufferViews.length - 1, ...about });
    this.pieces.push(bytes);
    this.length = padded(this.length + bytes.length);
    return accessors.length - 1;
  }

  /** What lies beside the description now; null where all of it is written into it. */
  joined(): Uint8Array<ArrayBuffer> | null {
    const all = new Uint8Array(this.length);
    let at = 0;
    for (const piece of this.beside ? [this.beside, ...this.pieces] : this.pieces) {
      all.set(piece, at);
      at = padded(at + piece.length);
    }
    const held = this.described.buffers?.[this.buffer];
    if (held) held.byteLength = all.length;
    if (this.beside) return all;
    if (held) held.uri = `data:application/octet-stream;base64,${base64(all)}`;
    return null;
  }
}

const padded = (length: number): number => Math.ceil(length / 4) * 4;

function base64(bytes: Uint8Array): string {
  let text = '';
  for (let at = 0; at < bytes.length; at += 0x8000)
    text += String.fromCharCode(...bytes.subarray(at, at + 0x8000));
  return btoa(text);
}

function opened(data: ArrayBuffer): Opened {
  const words = new DataView(data);
  const read = (bytes: BufferSource) => JSON.parse(new TextDecoder().decode(bytes)) as Described;
  if (data.byteLength < 20 || words.getUint32(0, true) !== MAGIC)
    return { described: read(data), beside: null, binary: false };
  const length = words.getUint32(12, true);
  const described = read(new Uint8Array(data, 20, length));
  const at = 20 + length;
  // The buffer beside the description is the first, and says of no address (glTF 2.0, GLB-stored Buffer).
  const own = described.buffers?.[0] && described.buffers[0].uri === undefined;
  const held = own && at + 8 <= data.byteLength && words.getUint32(at + 4, true) === BIN_CHUNK;
  const beside = held ? new Uint8Array(data, at + 8, words.getUint32(at, true)) : null;
  return { described, beside, binary: true };
}

function written(described: Described, beside: Uint8Array<ArrayBuffer> | null, binary: boolean): Blob {
  const text = new TextEncoder().encode(JSON.stringify(described));
  if (!binary) return new Blob([text], { type: 'model/gltf+json' });
  const spaces = new Uint8Array(padded(text.length)).fill(0x20);
  spaces.set(text);
  const chunks: [number, Uint8Array<ArrayBuffer>][] = [[JSON_CHUNK, spaces]];
  if (beside) chunks.push([BIN_CHUNK, beside]);
  const length = chunks.reduce((sum, [, chunk]) => sum + 8 + chunk.length, 12);
  const pieces: BlobPart[] = [Uint32Array.of(MAGIC, 2, length)];
  for (const [kind, chunk] of chunks) pieces.push(Uint32Array.of(chunk.length, kind), chunk);
  return new Blob(pieces, { type: 'model/gltf-binary' });
}
