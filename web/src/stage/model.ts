// The user's own models on the stage: read by a worker, so that a large one does not hold up the page, and made into geometry here.
import * as THREE from 'three';

import {
  MAPS,
  type Origin,
  type PlainMaterial,
  type PlainModel,
  type PlainPicture,
  type Reading,
} from './plain';

/** A piece of a model that wears one surface. */
export interface ModelPart {
  name: string;
  /** The material that the file names for it; "" where it names none. */
  material: string;
  geometry: THREE.BufferGeometry;
  triangles: number;
  /** Where in its glTF file it lies; null of an OBJ. */
  origin: Origin | null;
  /** How often each of its triangles was made into four here. */
  denser: number;
  /** What the file says it is made of; null where it says nothing. */
  own: THREE.Material | null;
  /** A colour for its material, to tell materials apart. */
  colour: THREE.Color;
}

export interface Model {
  parts: ModelPart[];
  triangles: number;
  /** How far below the middle its lowest point lies. */
  floor: number;
  /** What its file has in the middle, and how many times as large it is on the stage. */
  middle: [number, number, number];
  scale: number;
  /** How many sets of texture coordinates it has. */
  sets: number;
  /** What is to be known about it, in whole sentences. */
  notes: string[];
}

/** What a worker says: what it is doing, what it has read, or what is wrong. */
export type Said = { doing: string } | { model: PlainModel } | { wrong: string };

export interface Opening extends Partial<Reading> {
  /** Hears what is being done. */
  tell?: (doing: string) => void;
  /** Gives it up. */
  signal?: AbortSignal;
}

/** Bytes of a file that are read at all, here as on the server. */
const LARGEST = 64 * 1024 ** 2;

/** Read a model. Throws an Error that says what is wrong with it, or that it was given up. */
export async function modelOf(file: Blob, name: string, opening: Opening = {}): Promise<Model> {
  if (file.size > LARGEST)
    throw new Error('is larger than 64 MB. Export a lighter one: it is only there to look at maps.');
  const reading = { mtl: opening.mtl ?? null, second: opening.second ?? false };
  return modelFrom(await plainOf(file, name, reading, opening));
}

async function plainOf(
  file: Blob,
  name: string,
  reading: Reading,
  { tell, signal }: Opening,
): Promise<PlainModel> {
  // Where there are no workers, as in tests, it is read here.
  if (typeof Worker === 'undefined') return (await import('./read')).readModel(file, name, reading, tell);
  const worker = new Worker(new URL('./model.worker.ts', import.meta.url), { type: 'module' });
  try {
    return await new Promise<PlainModel>((resolve, reject) => {
      signal?.addEventListener('abort', () => reject(new Error('was given up.')));
      worker.onmessage = ({ data }: MessageEvent<Said>) => {
        if ('doing' in data) tell?.(data.doing);
        else if ('model' in data) resolve(data.model);
        else reject(new Error(data.wrong));
      };
      worker.onerror = () =>
        reject(new Error('needs more memory than this browser gives, or is damaged. Export a lighter one.'));
      worker.postMessage({ file, name, reading });
    });
  } finally {
    worker.terminate();
  }
}

/** Hues of materials: spread by the golden angle, so that neighbours differ. */
function hueOf(number: number): THREE.Color {
  return new THREE.Color().setHSL(
    (number * 0.381966) % 1,
    0.42,
    number % 2 ? 0.52 : 0.4,
    THREE.SRGBColorSpace,
  );
}

function modelFrom({ parts, materials, pictures, ...about }: PlainModel): Model {
  const textures = pictures.map(textureOf);
  const made = materials.map((material) => materialOf(material, textures));
  const names = [...new Set(parts.map((part) => part.material))];
  return {
    ...about,
    parts: parts.map(({ name, material, triangles, origin, own, index, attributes }) => {
      const geometry = new THREE.BufferGeometry();
      for (const [key, { array, size }] of Object.entries(attributes))
        geometry.setAttribute(key, new THREE.BufferAttribute(array, size));
      if (index) geometry.setIndex(new THREE.BufferAttribute(index, 1));
      const colours = geometry.getAttribute('color');
      // The stage's own materials show colours, and are not tinted by them.
      if (colours) geometry.setAttribute('paint', colours);
      const colour = hueOf(names.indexOf(material));
      return { name, material, triangles, origin, denser: 0, geometry, own: made[own] ?? null, colour };
    }),
  };
}

function textureOf({ bitmap, srgb, wrap, channel }: PlainPicture): THREE.Texture {
  const texture = new THREE.Texture(bitmap);
  texture.colorSpace = srgb ? THREE.SRGBColorSpace : THREE.NoColorSpace;
  [texture.wrapS, texture.wrapT] = wrap as [THREE.Wrapping, THREE.Wrapping];
  texture.channel = channel;
  texture.flipY = false;
  texture.needsUpdate = true;
  return texture;
}

function materialOf(plain: PlainMaterial, textures: THREE.Texture[]): THREE.Material {
  const made = new THREE.MeshStandardMaterial({
    color: new THREE.Color().fromArray(plain.colour),
    roughness: plain.roughness,
    metalness: plain.metallic,
    emissive: new THREE.Color().fromArray(plain.emissive),
    opacity: plain.opacity,
    transparent: plain.blended,
    alphaTest: plain.cut,
    vertexColors: plain.vertexColours,
    normalScale: new THREE.Vector2(plain.normalScale, plain.normalScale),
    aoMapIntensity: plain.occlusion,
    side: THREE.DoubleSide,
  });
  for (const key of MAPS) {
    const number = plain.maps[key];
    if (number !== undefined) made[key] = textures[number] ?? null;
  }
  return made;
}
