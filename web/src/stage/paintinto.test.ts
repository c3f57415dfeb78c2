// @vitest-environment happy-dom
// What is painted is put into the file that the model came from: only painted parts change, judged by the Khronos validator.
import { validateBytes } from 'gltf-validator';
import { describe, expect, it } from 'vitest';

import { modelOf, type Model } from './model';
import { paintInto } from './paintinto';
import { denser, fill, paintOf } from './painting';

const bytes = (values: ArrayBufferView) =>
  new Uint8Array(values.buffer, values.byteOffset, values.byteLength);
/** A square of two triangles that share two of its four points; two nodes show it, a third shows two primitives of it. */
function file(binary: boolean): Blob {
  const pieces = [
    Float32Array.of(0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0),
    Float32Array.of(0, 1, 1, 1, 1, 0, 0, 0),
    Float32Array.of(0, 0, 1, 0, 0, 1, 0, 0, 1, 0, 0, 1),
    Uint16Array.of(0, 1, 2, 0, 2, 3),
  ].map(bytes);
  const all = new Uint8Array(pieces.reduce((sum, piece) => sum + piece.length, 0));
  const bufferViews = pieces.map((piece, number) => {
    const byteOffset = pieces.slice(0, number).reduce((sum, { length }) => sum + length, 0);
    all.set(piece, byteOffset);
    return { buffer: 0, byteOffset, byteLength: piece.length, target: number === 3 ? 34963 : 34962 };
  });
  const primitive = { attributes: { POSITION: 0, TEXCOORD_0: 1, NORMAL: 2 }, indices: 3 };
  const described = {
    asset: { version: '2.0', generator: 'by hand' },
    scene: 0,
    scenes: [{ nodes: [0, 1, 2] }],
    nodes: [
      { name: 'left', mesh: 0, translation: [-2, 0.1, 0] },
      { name: 'right', mesh: 0, translation: [2, 0, 0], extras: { door: true } },
      { name: 'both', mesh: 1, rotation: [0, 0, 0.6, 0.8] },
    ],
    meshes: [
      { name: 'square', primitives: [primitive] },
      { name: 'pair', primitives: [primitive, { ...primitive }] },
    ],
    accessors: [
      { bufferView: 0, componentType: 5126, type: 'VEC3', count: 4, min: [0, 0, 0], max: [1, 1, 0] },
      { bufferView: 1, componentType: 5126, type: 'VEC2', count: 4 },
      { bufferView: 2, componentType: 5126, type: 'VEC3', count: 4 },
      { bufferView: 3, componentType: 5123, type: 'SCALAR', count: 6 },
    ],
    bufferViews,
    buffers: [{ byteLength: all.length }] as { byteLength: number; uri?: string }[],
  };
  if (!binary) {
    const uri = `data:application/octet-stream;base64,${btoa(String.fromCharCode(...all))}`;
    described.buffers = [{ byteLength: all.length, uri }];
    return new Blob([JSON.stringify(described)]);
  }
  const text = JSON.stringify(described);
  const spaced = text + ' '.repeat((4 - (text.length % 4)) % 4);
  const head = Uint32Array.of(0x46546c67, 2, 28 + spaced.length + all.length, spaced.length, 0x4e4f534a);
  return new Blob([head, spaced, Uint32Array.of(all.length, 0x004e4942), all]);
}
interface Described {
  nodes: { mesh: number }[];
  meshes: { name: string; primitives: { attributes: Record<string, number>; indices: number }[] }[];
  accessors: { count: number }[];
}
async function taken(made: Blob, binary: boolean): Promise<{ described: Described; beside: Uint8Array }> {
  const data = new Uint8Array(await made.arrayBuffer());
  const length = new DataView(data.buffer).getUint32(12, true);
  const text = new TextDecoder().decode(binary ? data.subarray(20, 20 + length) : data);
  const { issues } = await validateBytes(data);
  expect(issues.messages.filter(({ severity }) => severity < 2)).toEqual([]);
  return { described: JSON.parse(text) as Described, beside: data.subarray(28 + length) };
}
const partOf = (model: Model, name: string) => {
  const part = model.parts.find((held) => held.name === name);
  if (!part) throw new Error(`no ${name} among ${model.parts.map((held) => held.name).join(', ')}`);
  return part;
};

describe.each([true, false])('paint in a file, .glb: %s', (binary) => {
  const name = binary ? 'squares.glb' : 'squares.gltf';
  it('changes painted parts alone, and nothing that was there', async () => {
    const before = file(binary);
    const model = await modelOf(before, name);
    const right = partOf(model, 'right');
    const paint = paintOf(right.geometry);
    // The corner where both triangles meet is one point of the file.
    const place = right.geometry.getAttribute('uv');
    for (let at = 0; at < paint.count; at++) paint.setXYZW(at, place.getX(at), place.getY(at), 0.25, 2);
    const was = await taken(before, binary);
    const now = await taken(await paintInto(before, name, [right]), binary);
    if (binary) expect(now.beside.subarray(0, was.beside.length)).toEqual(was.beside);
    // Another node shows the same mesh, and stays as it was.
    for (const [key, held] of Object.entries(was.described as object)) {
      const next = (now.described as unknown as Record<string, unknown>)[key];
      if (key === 'nodes')
        expect(next).toEqual((held as object[]).map((node, at) => (at === 1 ? { ...node, mesh: 2 } : node)));
      else if (key === 'buffers') expect(next).toHaveLength(binary ? 1 : 2);
      // What was there is at the same place; what is new stands behind it.
      else expect(Array.isArray(next) ? next.slice(0, held.length) : next).toEqual(held);
    }
    const [own] = now.described.meshes[2]?.primitives ?? [];
    expect(own).toMatchObject({ indices: 3, attributes: { POSITION: 0, TEXCOORD_0: 1, NORMAL: 2 } });
    const once = await paintInto(before, name, [right]);
    const again = await modelOf(once, name);
    // Painted anew, it does not grow.
    if (binary) expect((await paintInto(once, name, [partOf(again, 'right')])).size).toBe(once.size);
    const kept = paintOf(partOf(again, 'right').geometry);
    for (let at = 0; at < paint.count; at++) {
      expect(kept.getX(at)).toBeCloseTo(place.getX(at), 4);
      expect(kept.getY(at)).toBeCloseTo(place.getY(at), 4);
      expect([kept.getZ(at), kept.getW(at)].map((value) => value.toFixed(3))).toEqual(['0.250', '1.000']);
    }
    expect(
      again.parts.filter(({ geometry }) => geometry.hasAttribute('paint')).map((part) => part.name),
    ).toEqual(['right']);
  });
  it('adds the points of a density that was raised, behind those that were there', async () => {
    const before = file(binary);
    const model = await modelOf(before, name);
    const left = partOf(model, 'pair_1');
    for (let time = 0; time < 2; time++) left.geometry = denser(left.geometry);
    Object.assign(left, { triangles: 32, denser: 2 });
    fill(left.geometry, 1, 1);
    const made = await paintInto(before, name, [left]);
    const { described } = await taken(made, binary);
    const primitive = described.meshes[1]?.primitives[1];
    const count = (key: string) => described.accessors[primitive?.attributes[key] ?? -1]?.count;
    // A square cut twice has five points along each side, and shares those along its diagonal.
    expect([count('POSITION'), count('COLOR_0')]).toEqual([25, 25]);
    const again = partOf(await modelOf(made, name), 'pair_1');
    expect(again.triangles).toBe(32);
    for (const key of ['position', 'normal', 'uv', 'paint']) {
      const [old, next] = [left, again].map(({ geometry }) => Array.from(geometry.getAttribute(key).array));
      expect(next).toHaveLength(old?.length ?? -1);
      next?.forEach((value, at) => expect(value).toBeCloseTo(old?.[at] ?? NaN, 4));
    }
  });
});
