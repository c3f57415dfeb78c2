// The user's own models: glTF (.glb, .gltf with everything inside) and OBJ, read in the browser alone.
import * as THREE from 'three';

export interface Model {
  geometry: THREE.BufferGeometry;
  parts: number;
  triangles: number;
  /** What is to be known about it, in whole sentences. */
  notes: string[];
}

/** The size that a model is brought to: that of the stage's own shapes. */
const RADIUS = 1.1;

/** Read a model. Throws an Error that says what is wrong with it. */
export async function modelOf(file: Blob, name: string): Promise<Model> {
  const down = !name.toLowerCase().endsWith('.obj');
  const root = down ? await gltf(file) : await obj(file);
  const found: THREE.BufferGeometry[] = [];
  let bare = 0;
  root.updateMatrixWorld(true);
  root.traverse((part) => {
    if (!(part instanceof THREE.Mesh)) return;
    const geometry = (part.geometry as THREE.BufferGeometry).clone().applyMatrix4(part.matrixWorld);
    if (!geometry.getAttribute('uv')) bare++;
    else found.push(geometry.index ? geometry.toNonIndexed() : geometry);
  });
  if (!found.length) throw new Error('holds no mesh with texture coordinates.');
  const geometry = joined(found, down);
  const notes: string[] = [];
  if (bare)
    notes.push(
      `${bare} ${bare === 1 ? 'part has' : 'parts have'} no texture coordinates and cannot be shown.`,
    );
  if (!finite(geometry)) throw new Error('has points that are no numbers.');
  if (geometry.getAttribute('tangent')) notes.push('Its own tangents are used.');
  else {
    await tangents(geometry);
    notes.push('It has no tangents: they were made as MikkTSpace makes them.');
  }
  geometry.center();
  geometry.computeBoundingSphere();
  const scale = RADIUS / (geometry.boundingSphere?.radius || 1);
  geometry.scale(scale, scale, scale);
  geometry.computeBoundingBox();
  const triangles = geometry.getAttribute('position').count / 3;
  return { geometry, parts: found.length, triangles, notes };
}

async function gltf(file: Blob): Promise<THREE.Object3D> {
  const { GLTFLoader } = await import('three/examples/jsm/loaders/GLTFLoader.js');
  const read = await new GLTFLoader().parseAsync(await file.arrayBuffer(), '').catch(() => {
    throw new Error('is no glTF that stands alone; export it as .glb.');
  });
  return read.scene;
}

async function obj(file: Blob): Promise<THREE.Object3D> {
  const { OBJLoader } = await import('three/examples/jsm/loaders/OBJLoader.js');
  return new OBJLoader().parse(await file.text());
}

/** One geometry of several. Texture coordinates have their first row at the top, as glTF has them; OBJ has it at the bottom. */
function joined(parts: THREE.BufferGeometry[], down: boolean): THREE.BufferGeometry {
  const made = new THREE.BufferGeometry();
  const turned = parts.every((part) => part.getAttribute('tangent'));
  for (const [name, size] of [
    ['position', 3],
    ['normal', 3],
    ['uv', 2],
    ...(turned ? [['tangent', 4] as const] : []),
  ] as const) {
    const arrays = parts.map((part) => {
      if (name === 'normal' && !part.getAttribute('normal')) part.computeVertexNormals();
      return part.getAttribute(name).array;
    });
    const all = new Float32Array(arrays.reduce((sum, array) => sum + array.length, 0));
    let at = 0;
    for (const array of arrays) {
      all.set(array, at);
      at += array.length;
    }
    if (name === 'uv' && !down)
      for (let place = 1; place < all.length; place += 2) all[place] = 1 - (all[place] ?? 0);
    made.setAttribute(name, new THREE.BufferAttribute(all, size));
  }
  return made;
}

function finite(geometry: THREE.BufferGeometry): boolean {
  const { array } = geometry.getAttribute('position');
  for (let at = 0; at < array.length; at++) if (!Number.isFinite(array[at])) return false;
  return true;
}

/** Tangents by the reference implementation of MikkTSpace, as glTF 2.0 asks for where a mesh brings none. */
async function tangents(geometry: THREE.BufferGeometry): Promise<void> {
  const [{ computeMikkTSpaceTangents }, MikkTSpace] = await Promise.all([
    import('three/examples/jsm/utils/BufferGeometryUtils.js'),
    import('three/examples/jsm/libs/mikktspace.module.js'),
  ]);
  await MikkTSpace.ready;
  computeMikkTSpaceTangents(geometry, MikkTSpace, true);
}
