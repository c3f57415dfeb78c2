// The user's own models as files: glTF (.glb, .gltf with everything inside) and OBJ with its MTL. Large ones take a while: this runs in
// a worker, and what it gives is plain numbers.
import * as THREE from 'three';

import { materialsOf, nameOnly } from './mtl';
import {
  MAPS,
  type Origin,
  type PlainMaterial,
  type PlainModel,
  type PlainPicture,
  type Reading,
} from './plain';
import { listedWords } from '@/lib/values/format';
import { counted } from '@/lib/values/local';

/** A piece of a model that wears one surface. */
interface ReadPart {
  /** Its name in the file; two of one name are told apart by a number. */
  name: string;
  /** The material that the file names for it; "" where it names none. */
  material: string;
  geometry: THREE.BufferGeometry;
  triangles: number;
  /** What the file says it is made of; null where it says nothing. */
  own: THREE.Material | null;
  origin: Origin | null;
}
/** Which node of a glTF shows an object of three's, and as which primitive of its mesh; null of what is no such object. */
type Origins = (node: THREE.Object3D) => Pick<Origin, 'node' | 'primitive'> | null;

/** The size that a model is brought to: that of the stage's own shapes. */
const RADIUS = 1.1;
const MOST_NODES = 20_000;
const MOST_TRIANGLES = 4_000_000;
/** From so many on a part keeps its corners shared, and what takes long for each triangle is left out and said so. */
const LARGE = 300_000;
/** So many materials are a smell: common practice has one for an object where possible. */
const MANY_MATERIALS = 12;
/** The grid on which overlapping texture coordinates are looked for, and the share of it that may lie twice: seams do. */
const GRID = 256;
const OVERLAP = 0.02;

/** Read a model; `tell` hears what is done. Throws an Error that says what is wrong with it. */
export async function readModel(
  file: Blob,
  name: string,
  reading: Reading,
  tell: (doing: string) => void = () => undefined,
): Promise<PlainModel> {
  const down = !name.toLowerCase().endsWith('.obj');
  tell('reading the file');
  const { root, said, origins } = down
    ? await readGltf(file, name)
    : { root: await obj(file, reading.mtl), said: [], origins: () => null };
  tell('taking it apart');
  const parts: ReadPart[] = [];
  const bare: string[] = [];
  root.updateMatrixWorld(true);
  root.traverse((node) => {
    if (!(node instanceof THREE.Mesh)) return;
    for (const piece of pieces(node, origins(node))) {
      const said = String(
        node.userData.name ||
          node.name ||
          node.parent?.userData.name ||
          node.parent?.name ||
          piece.material ||
          'part',
      );
      if (!piece.geometry.getAttribute('uv')) bare.push(said);
      else parts.push({ ...piece, name: told(said, parts) });
    }
  });
  if (!parts.length) throw new Error('holds no mesh with texture coordinates.');
  const triangles = parts.reduce((sum, part) => sum + part.triangles, 0);
  if (triangles > MOST_TRIANGLES)
    throw new Error(`has ${counted(triangles)} triangles; ${counted(MOST_TRIANGLES)} are the most.`);
  for (const { geometry } of parts) {
    if (!down) flip(geometry);
    if (reading.second) useSecond(geometry);
    if (!finite(geometry)) throw new Error('has points or texture coordinates that are no numbers.');
  }
  const notes = [...said, ...notesOf(parts, bare)];
  if (!down) notes.push(...mtlNotes(parts, reading.mtl));
  tell('making tangents');
  notes.push(await turned(parts));
  const place = placed(parts);
  return { ...plain(parts), triangles, ...place, notes };
}

/** What a glTF holds, where in the file that lies, and what of it is not shown, in whole sentences; without its pictures where its
 * shape alone is wanted. */
export async function readGltf(
  file: Blob,
  name: string,
  shapeAlone = false,
): Promise<{ root: THREE.Object3D; said: string[]; origins: Origins }> {
  const data = await file.arrayBuffer();
  const { nodes, leans, uses, said } = described(data, name);
  // Nothing is fetched for a file of somebody's.
  if (leans) throw new Error('leans on other files: it is no glTF that stands alone. Export it as .glb.');
  if (nodes > MOST_NODES)
    throw new Error(`has ${counted(nodes)} nodes; ${counted(MOST_NODES)} are the most. Join its parts.`);
  if (uses.has(DRACO))
    throw new Error(
      `has its meshes compressed with Draco (${DRACO}), which is not read here. Export it without.`,
    );
  const { GLTFLoader } = await import('three/examples/jsm/loaders/GLTFLoader.js');
  const loader = new GLTFLoader();
  if (uses.has(MESHOPT)) {
    const { MeshoptDecoder } = await import('three/examples/jsm/libs/meshopt_decoder.module.js');
    loader.setMeshoptDecoder(MeshoptDecoder);
  }
  // Its shape is what matters; what it wears here are sets.
  if (uses.has(KTX) || shapeAlone)
    loader.register(() => ({ name: KTX, loadTexture: () => Promise.resolve(new THREE.Texture()) }));
  const read = await loader.parseAsync(data, '').catch(() => {
    throw new Error('is damaged, or is no glTF that stands alone. Export it as .glb.');
  });
  const about = (node: THREE.Object3D | null) => (node ? read.parser.associations.get(node) : undefined);
  // A mesh of several primitives is a group of several meshes.
  const origins: Origins = (node) => {
    const { primitives: primitive } = about(node) ?? {};
    const shows = about(node)?.nodes ?? about(node.parent)?.nodes;
    return shows === undefined || primitive === undefined ? null : { node: shows, primitive };
  };
  return { root: read.scene, said, origins };
}

async function obj(file: Blob, mtl: string | null): Promise<THREE.Object3D> {
  const { OBJLoader } = await import('three/examples/jsm/loaders/OBJLoader.js');
  const root = new OBJLoader().parse(await file.text());
  const known = mtl === null ? new Map<string, THREE.Material>() : materialsOf(mtl);
  root.traverse((node) => {
    if (!(node instanceof THREE.Mesh)) return;
    const held = node.material as THREE.Material | THREE.Material[];
    const own = (material: THREE.Material) => known.get(material.name) ?? nameOnly(material.name);
    node.material = Array.isArray(held) ? held.map(own) : own(held);
  });
  return root;
}

/** What an OBJ and its MTL leave open. */
function mtlNotes(parts: ReadPart[], mtl: string | null): string[] {
  const named = new Set(parts.map((part) => part.material).filter(Boolean));
  if (mtl === null)
    return named.size
      ? ['Its materials are names alone: choose the .mtl together with the .obj to see their colours.']
      : [];
  const pictures = mtl.match(/^\s*(map_\S+|norm|bump|disp)\s/gm)?.length ?? 0;
  return pictures
    ? [
        `Its .mtl names ${pictures} ${pictures === 1 ? 'picture' : 'pictures'} beside it; colours alone are shown.`,
      ]
    : [];
}

/** Extensions of glTF 2.0 that change how a file is read (Khronos and vendor extensions registry). */
const DRACO = 'KHR_draco_mesh_compression';
const MESHOPT = 'EXT_meshopt_compression';
const KTX = 'KHR_texture_basisu';

interface Described {
  nodes: number;
  /** Whether it asks for other files. */
  leans: boolean;
  /** The extensions that it uses. */
  uses: Set<string>;
  /** What of it is not shown, in whole sentences. */
  said: string[];
}

/** What a glTF says of itself, before anything is made of it. */
function described(data: ArrayBuffer, name: string): Described {
  try {
    const words = new DataView(data);
    const binary = name.toLowerCase().endsWith('.glb');
    const text = new TextDecoder().decode(
      binary ? new Uint8Array(data, 20, words.getUint32(12, true)) : data,
    );
    const said = JSON.parse(text) as Record<string, unknown>;
    const listed = (key: string) => (Array.isArray(said[key]) ? (said[key] as unknown[]) : []);
    const leans = [...listed('buffers'), ...listed('images')].some((entry) => {
      const uri = (entry as { uri?: unknown } | null)?.uri;
      return uri !== undefined && !String(uri).startsWith('data:');
    });
    const uses = new Set(listed('extensionsUsed').map(String));
    const skins = listed('skins').length > 0;
    const morphs = listed('meshes').some((mesh) =>
      (mesh as { primitives?: { targets?: unknown[] }[] }).primitives?.some(({ targets }) => targets?.length),
    );
    const told = [
      skins && 'It has a skin: it is shown as it was modelled, not as its skeleton stands.',
      morphs && 'It has morph targets: it is shown without them.',
      uses.has(KTX) && `Its own pictures are KTX 2.0 (${KTX}) and are not shown; what it wears here is.`,
    ];
    return { nodes: listed('nodes').length, leans, uses, said: told.filter((line) => line !== false) };
  } catch {
    throw new Error('is damaged: its description cannot be read.');
  }
}

/** A mesh as pieces of one material each, in place; without an index, but for large ones of one material. */
function pieces(mesh: THREE.Mesh, place: ReturnType<Origins>): Omit<ReadPart, 'name'>[] {
  const shared = mesh.geometry as THREE.BufferGeometry;
  const whole = ownOf(shared, mesh.matrixWorld);
  const materials = Array.isArray(mesh.material) ? mesh.material : [mesh.material];
  const count = trianglesOf(whole);
  if (count >= LARGE && materials.length === 1) {
    if (!whole.getAttribute('normal')) whole.computeVertexNormals();
    if (!whole.index)
      whole.setIndex(new THREE.BufferAttribute(ascending(whole.getAttribute('position').count), 1));
    const [material = null] = materials;
    const origin = originOf(mesh, place, null);
    return [{ geometry: whole, triangles: count, material: material?.name ?? '', own: material, origin }];
  }
  const origin = originOf(mesh, place, shared.index && Uint32Array.from(shared.index.array));
  const flat = whole.index ? whole.toNonIndexed() : whole;
  if (!flat.getAttribute('normal')) flat.computeVertexNormals();
  const groups = materials.length > 1 ? flat.groups : [{ start: 0, count: Infinity, materialIndex: 0 }];
  return groups.map(({ start, count, materialIndex }) => {
    const geometry = new THREE.BufferGeometry();
    for (const key of KEYS) {
      const held = flat.getAttribute(key) as THREE.BufferAttribute | undefined;
      if (!held) continue;
      const end = Math.min(held.count, start + count);
      const values = valuesOf(held, start, end);
      geometry.setAttribute(key, new THREE.BufferAttribute(values, held.itemSize));
    }
    const triangles = trianglesOf(geometry);
    const material = materials[materialIndex ?? 0];
    return { geometry, triangles, material: material?.name ?? '', own: material ?? null, origin };
  });
}

function originOf(
  mesh: THREE.Mesh,
  place: ReturnType<Origins>,
  corners: Uint32Array<ArrayBuffer> | null,
): Origin | null {
  if (!place) return null;
  const shape = mesh.geometry as THREE.BufferGeometry;
  const bound = mesh instanceof THREE.SkinnedMesh || Object.keys(shape.morphAttributes).length > 0;
  return { ...place, corners, points: shape.getAttribute('position').count, bound };
}

/** A mesh's geometry in its place. Two meshes may share one, and what is moved here must not move there. */
function ownOf(shared: THREE.BufferGeometry, place: THREE.Matrix4): THREE.BufferGeometry {
  if (!place.equals(new THREE.Matrix4())) return shared.clone().applyMatrix4(place);
  const own = new THREE.BufferGeometry();
  for (const key of KEYS) if (shared.getAttribute(key)) own.setAttribute(key, shared.getAttribute(key));
  own.setAttribute('position', shared.getAttribute('position').clone());
  own.groups = shared.groups;
  return own.setIndex(shared.index);
}

function trianglesOf(geometry: THREE.BufferGeometry): number {
  return Math.floor((geometry.index?.count ?? geometry.getAttribute('position').count) / 3);
}

function ascending(count: number): Uint32Array<ArrayBuffer> {
  const numbers = new Uint32Array(count);
  for (let at = 0; at < count; at++) numbers[at] = at;
  return numbers;
}

/** The corners of triangles in their order. */
function cornersOf(geometry: THREE.BufferGeometry): ArrayLike<number> {
  return geometry.index?.array ?? ascending(geometry.getAttribute('position').count);
}

/** A run of an attribute as floats, whatever it is stored as. */
function valuesOf(held: THREE.BufferAttribute, start: number, end: number): Float32Array<ArrayBuffer> {
  const size = held.itemSize;
  if (held.array instanceof Float32Array && start === 0 && end * size === held.array.length)
    return held.array as Float32Array<ArrayBuffer>;
  if (
    held.array instanceof Float32Array &&
    !(held as { isInterleavedBufferAttribute?: boolean }).isInterleavedBufferAttribute
  )
    return held.array.slice(start * size, end * size) as Float32Array<ArrayBuffer>;
  const values = new Float32Array((end - start) * size);
  for (let at = start; at < end; at++)
    for (let part = 0; part < size; part++) values[(at - start) * size + part] = held.getComponent(at, part);
  return values;
}

/** Look at the second set of texture coordinates, where there is one: its tangents are others. */
function useSecond(geometry: THREE.BufferGeometry): void {
  const second = geometry.getAttribute('uv1');
  if (!second) return;
  geometry.setAttribute('uv', second);
  geometry.deleteAttribute('tangent');
}

/** Parts, their materials and pictures as numbers: what can be handed from a worker to the page. */
function plain(parts: ReadPart[]): Pick<PlainModel, 'parts' | 'materials' | 'pictures' | 'sets'> {
  const materials: PlainMaterial[] = [];
  const pictures: PlainPicture[] = [];
  const numbers = new Map<THREE.Material, number>();
  const held = new Map<THREE.Texture, number>();
  const pictured = (texture: THREE.Texture): number => {
    const known = held.get(texture);
    if (known !== undefined) return known;
    const { image, wrapS, wrapT, channel, colorSpace } = texture;
    pictures.push({
      bitmap: image as ImageBitmap,
      srgb: colorSpace === THREE.SRGBColorSpace,
      wrap: [wrapS, wrapT],
      channel,
    });
    held.set(texture, pictures.length - 1);
    return pictures.length - 1;
  };
  const own = (material: THREE.Material | null): number => {
    if (!(material instanceof THREE.MeshStandardMaterial)) return -1;
    const known = numbers.get(material);
    if (known !== undefined) return known;
    const maps: PlainMaterial['maps'] = {};
    for (const key of MAPS) {
      const texture = material[key];
      if (texture?.image) maps[key] = pictured(texture);
    }
    materials.push({
      colour: material.color.toArray(),
      roughness: material.roughness,
      metallic: material.metalness,
      emissive: material.emissive.clone().multiplyScalar(material.emissiveIntensity).toArray(),
      opacity: material.opacity,
      blended: material.transparent,
      cut: material.alphaTest,
      vertexColours: material.vertexColors,
      normalScale: material.normalScale.x,
      occlusion: material.aoMapIntensity,
      maps,
    });
    numbers.set(material, materials.length - 1);
    return materials.length - 1;
  };
  const sets = parts.some(({ geometry }) => geometry.getAttribute('uv1')) ? 2 : 1;
  const made = parts.map(({ name, material, triangles, geometry, own: material_, origin }) => ({
    name,
    origin,
    material,
    triangles,
    own: own(material_),
    index: geometry.index ? Uint32Array.from(geometry.index.array) : null,
    attributes: Object.fromEntries(
      KEYS.flatMap((key) => {
        const attribute = geometry.getAttribute(key) as THREE.BufferAttribute | undefined;
        if (!attribute) return [];
        return [[key, { array: valuesOf(attribute, 0, attribute.count), size: attribute.itemSize }]];
      }),
    ),
  }));
  return { parts: made, materials, pictures, sets };
}

/** What is taken of a mesh. */
const KEYS = ['position', 'normal', 'uv', 'uv1', 'tangent', 'color'];

function told(name: string, parts: ReadPart[]): string {
  let found = name;
  for (let number = 2; parts.some((part) => part.name === found); number++) found = `${name} ${number}`;
  return found;
}

/** OBJ has the first row of textures at the bottom; here, as in glTF, it lies at the top. */
function flip(geometry: THREE.BufferGeometry): void {
  for (const key of ['uv', 'uv1']) {
    const uv = geometry.getAttribute(key) as THREE.BufferAttribute | undefined;
    for (let at = 0; at < (uv?.count ?? 0); at++) uv?.setY(at, 1 - uv.getY(at));
  }
}

function finite(geometry: THREE.BufferGeometry): boolean {
  return ['position', 'uv'].every((key) => {
    const { array } = geometry.getAttribute(key);
    if (!(array instanceof Float32Array)) return true;
    for (let at = 0; at < array.length; at++) if (!Number.isFinite(array[at])) return false;
    return true;
  });
}

/** What somebody who dresses a model ought to know of it. */
function notesOf(parts: ReadPart[], bare: string[]): string[] {
  const notes: string[] = [];
  if (bare.length) {
    notes.push(
      `${listedWords(bare)}: no texture coordinates, so that ${bare.length > 1 ? 'they' : 'it'} cannot be shown.`,
    );
  }
  const materials = new Set(parts.map((part) => part.material)).size;
  if (materials > MANY_MATERIALS)
    notes.push(`It has ${materials} materials. An engine draws each by itself; one for an object is common.`);
  const mirrored = parts.filter((part) => handed(part.geometry).has(-1)).map((part) => part.name);
  if (mirrored.length)
    notes.push(
      `Mirrored texture coordinates: ${listedWords(mirrored)}. Words and signs are turned over there.`,
    );
  const large = parts.filter((part) => part.triangles >= LARGE).map((part) => part.name);
  if (large.length)
    notes.push(
      `${listedWords(large)}: ${counted(LARGE)} triangles or more. Overlapping texture coordinates were not looked for, and ` +
        'tangents that it does not bring are averages over corners, not as MikkTSpace makes them.',
    );
  const twice = parts
    .filter((part) => part.triangles < LARGE && overlaps(part.geometry))
    .map((part) => part.name);
  if (twice.length)
    notes.push(
      `Overlapping texture coordinates: ${listedWords(twice)}. Baked light and wear would come up twice.`,
    );
  return notes;
}

/** The signs of the areas of triangles in texture coordinates: −1 is one that lies as seen from behind. */
function handed(geometry: THREE.BufferGeometry): Set<number> {
  const uv = geometry.getAttribute('uv');
  const corners = cornersOf(geometry);
  const signs = new Set<number>();
  for (let at = 0; at + 2 < corners.length && signs.size < 2; at += 3) {
    const [first = 0, second = 0, third = 0] = [corners[at], corners[at + 1], corners[at + 2]];
    const [u, v] = [uv.getX(first), uv.getY(first)];
    const area = (uv.getX(second) - u) * (uv.getY(third) - v) - (uv.getX(third) - u) * (uv.getY(second) - v);
    // With rows from the top downwards, a triangle that faces the eye runs the other way round.
    if (Math.abs(area) > 1e-9) signs.add(-Math.sign(area));
  }
  return signs;
}

/** Whether more than a seam's share of the picture belongs to two triangles. Of what repeats on purpose, beyond one picture, nothing
 * is said. */
function overlaps(geometry: THREE.BufferGeometry): boolean {
  const uv = geometry.getAttribute('uv');
  const seen = new Uint8Array(GRID * GRID);
  let [once, twice] = [0, 0];
  for (let at = 0; at + 2 < uv.count; at += 3) {
    const us = [uv.getX(at), uv.getX(at + 1), uv.getX(at + 2)] as const;
    const vs = [uv.getY(at), uv.getY(at + 1), uv.getY(at + 2)] as const;
    if (Math.min(...us, ...vs) < -0.001 || Math.max(...us, ...vs) > 1.001) return false;
    const area = (us[1] - us[0]) * (vs[2] - vs[0]) - (us[2] - us[0]) * (vs[1] - vs[0]);
    if (!area) continue;
    const [left, right] = [Math.floor(Math.min(...us) * GRID), Math.ceil(Math.max(...us) * GRID)];
    const [top, bottom] = [Math.floor(Math.min(...vs) * GRID), Math.ceil(Math.max(...vs) * GRID)];
    for (let row = Math.max(0, top); row < Math.min(GRID, bottom); row++) {
      for (let column = Math.max(0, left); column < Math.min(GRID, right); column++) {
        const [u, v] = [(column + 0.5) / GRID, (row + 0.5) / GRID];
        const a = ((us[1] - u) * (vs[2] - v) - (us[2] - u) * (vs[1] - v)) / area;
        const b = ((us[2] - u) * (vs[0] - v) - (us[0] - u) * (vs[2] - v)) / area;
        if (a <= 0 || b <= 0 || a + b >= 1) continue;
        if (seen[row * GRID + column]) twice++;
        else [seen[row * GRID + column], once] = [1, once + 1];
      }
    }
  }
  return twice > OVERLAP * Math.max(once, 1);
}

/** Tangents as the file has them, or by the reference implementation of MikkTSpace, as glTF 2.0 asks for where a mesh brings none. */
async function turned(parts: ReadPart[]): Promise<string> {
  const large = parts.filter(
    ({ triangles, geometry }) => triangles >= LARGE && !geometry.getAttribute('tangent'),
  );
  for (const { geometry } of large) geometry.computeTangents();
  const without = parts.filter(({ geometry }) => !geometry.getAttribute('tangent'));
  if (!without.length)
    return large.length === parts.length ? 'It has no tangents.' : 'Its own tangents are used.';
  const [{ computeMikkTSpaceTangents }, MikkTSpace] = await Promise.all([
    import('three/examples/jsm/utils/BufferGeometryUtils.js'),
    import('three/examples/jsm/libs/mikktspace.module.js'),
  ]);
  await MikkTSpace.ready;
  for (const { geometry } of without) computeMikkTSpaceTangents(geometry, MikkTSpace, true);
  return without.length === parts.length
    ? 'It has no tangents: they were made as MikkTSpace makes them.'
    : `${without.length} of its parts have no tangents: they were made as MikkTSpace makes them.`;
}

/** Move all parts together to the middle, in the size of the other shapes; gives how far down they reach, and what was done. */
function placed(parts: ReadPart[]): Pick<PlainModel, 'floor' | 'middle' | 'scale'> {
  const box = new THREE.Box3();
  for (const { geometry } of parts) {
    geometry.computeBoundingBox();
    if (geometry.boundingBox) box.union(geometry.boundingBox);
  }
  const middle = box.getCenter(new THREE.Vector3());
  const scale = RADIUS / (box.getBoundingSphere(new THREE.Sphere()).radius || 1);
  for (const { geometry } of parts) {
    const place = geometry.getAttribute('position');
    for (let at = 0; at < place.count; at++)
      place.setXYZ(
        at,
        (place.getX(at) - middle.x) * scale,
        (place.getY(at) - middle.y) * scale,
        (place.getZ(at) - middle.z) * scale,
      );
  }
  return { floor: (middle.y - box.min.y) * scale, middle: middle.toArray(), scale };
}
