// Environments: prefiltered cubes of light, as `texelcore.lighting.cubes` packs them, on the GPU as three's own prefiltering would
// leave them there; and pictures that the studio brought, which three prefilters here.
import * as THREE from 'three';

import type { EnvironmentView } from '@/api/client';
import { unpackAsIs } from '@/lib/pictures/dds';

const EDGE = 256;
const LEVELS = 6;
const FACES = 6;
/** Of all levels of a prefiltered cube. */
const TEXELS = Array.from({ length: LEVELS }, (_, level) => FACES * (EDGE >> level) ** 2).reduce(
  (sum, count) => sum + count,
);

export interface Environment {
  name: string;
  /** The prefiltered cube. */
  light: THREE.Texture;
  key: { towards: THREE.Vector3; colour: THREE.Color } | null;
  dispose(): void;
}

/** Texels of shared exponent as half floats with alpha 1. A nine-bit colour fits a half's eleven bits: nothing is rounded but what
 * is too dark for halves. */
export function halvesOf(words: Uint32Array): Uint16Array {
  const halves = new Uint16Array(words.length * 4);
  const one = THREE.DataUtils.toHalfFloat(1);
  // 32 exponents of 512 colours each: a table is far quicker than working each out.
  const table = new Uint16Array(32 * 512);
  for (let exponent = 0; exponent < 32; exponent++) {
    const scale = 2 ** (exponent - 24);
    for (let colour = 0; colour < 512; colour++)
      table[exponent * 512 + colour] = THREE.DataUtils.toHalfFloat(Math.min(65504, colour * scale));
  }
  for (let at = 0; at < words.length; at++) {
    const word = words[at] ?? 0;
    const row = (word >>> 27) * 512;
    halves[at * 4] = table[row + (word & 511)] ?? 0;
    halves[at * 4 + 1] = table[row + ((word >>> 9) & 511)] ?? 0;
    halves[at * 4 + 2] = table[row + ((word >>> 18) & 511)] ?? 0;
    halves[at * 4 + 3] = one;
  }
  return halves;
}

async function texels(url: string, count: number): Promise<Uint32Array> {
  const answer = await fetch(url);
  if (!answer.ok || !answer.body)
    throw new Error(`the environment could not be fetched (status ${answer.status})`);
  const plain = answer.body.pipeThrough(new DecompressionStream('gzip'));
  const words = new Uint32Array(await new Response(plain).arrayBuffer());
  if (words.length !== count) throw new Error('the environment is damaged');
  return words;
}

const fetched = new Map<string, Promise<Uint32Array>>();

async function shipped(renderer: THREE.WebGLRenderer, view: EnvironmentView): Promise<Environment> {
  let asked = fetched.get(view.url);
  if (!asked) {
    asked = texels(view.url, TEXELS);
    fetched.set(view.url, asked);
    asked.catch(() => fetched.delete(view.url));
  }
  const halves = halvesOf(await asked);
  const key = view.key && {
    towards: new THREE.Vector3().fromArray(view.key.towards),
    colour: new THREE.Color().fromArray(view.key.colour),
  };
  return cubeOf(renderer, view.name, halves, key);
}

/** A cube that is prefiltered: six faces of each level, largest first, as half floats. */
function cubeOf(
  renderer: THREE.WebGLRenderer,
  name: string,
  halves: Uint16Array,
  key: Environment['key'],
): Environment {
  const target = emptyCube();
  renderer.initRenderTarget(target);
  const gl = renderer.getContext() as WebGL2RenderingContext;
  const held = (renderer.properties.get(target.texture) as { __webglTexture: WebGLTexture }).__webglTexture;
  gl.bindTexture(gl.TEXTURE_CUBE_MAP, held);
  unpackAsIs(gl);
  let at = 0;
  for (let level = 0; level < LEVELS; level++) {
    const size = EDGE >> level;
    for (let face = 0; face < FACES; face++) {
      const part = halves.subarray(at, at + size * size * 4);
      const side = gl.TEXTURE_CUBE_MAP_POSITIVE_X + face;
      gl.texSubImage2D(side, level, 0, 0, size, size, gl.RGBA, gl.HALF_FLOAT, part);
      at += size * size * 4;
    }
  }
  renderer.resetState();
  return { name, light: target.texture, key, dispose: () => target.dispose() };
}

/** A cube as PMREMGenerator allocates it, with levels that nobody makes for it. */
function emptyCube(): THREE.WebGLCubeRenderTarget {
  const target = new THREE.WebGLCubeRenderTarget(EDGE, {
    minFilter: THREE.LinearMipmapLinearFilter,
    generateMipmaps: false,
    type: THREE.HalfFloatType,
    colorSpace: THREE.LinearSRGBColorSpace,
    depthBuffer: false,
  });
  const texture = target.texture as THREE.Texture & { isPMREMTexture?: boolean; mipmaps: unknown[] };
  for (let level = 0; level < LEVELS; level++)
    texture.mipmaps.push({ width: EDGE >> level, height: EDGE >> level });
  texture.name = 'PMREM';
  texture.isPMREMTexture = true;
  return target;
}

/** An environment of one light all around, by which formulas are checked: `level` in every direction, and a key light. */
export function even(
  renderer: THREE.WebGLRenderer,
  level: number,
  key: Environment['key'] = null,
): Environment {
  const half = THREE.DataUtils.toHalfFloat(level);
  const halves = new Uint16Array(TEXELS * 4).fill(half);
  for (let at = 3; at < halves.length; at += 4) halves[at] = THREE.DataUtils.toHalfFloat(1);
  return cubeOf(renderer, 'even', halves, key);
}

/** A picture of everything around that the studio brought, prefiltered here. The server has looked it over: it holds numbers alone,
 * and no more texels than are needed. */
async function panorama(renderer: THREE.WebGLRenderer, view: EnvironmentView): Promise<Environment> {
  const { width, height } = view;
  const words = await texels(view.url, width * height);
  const texture = new THREE.DataTexture(
    halvesOf(words),
    width,
    height,
    THREE.RGBAFormat,
    THREE.HalfFloatType,
    THREE.EquirectangularReflectionMapping,
  );
  texture.minFilter = texture.magFilter = THREE.LinearFilter;
  texture.flipY = true;
  texture.needsUpdate = true;
  const maker = new THREE.PMREMGenerator(renderer);
  const target = maker.fromEquirectangular(texture);
  texture.dispose();
  maker.dispose();
  return { name: view.name, light: target.texture, key: null, dispose: () => target.dispose() };
}

/** An environment on a renderer's GPU. Throws an Error that says why it cannot be had. */
export function lightOf(renderer: THREE.WebGLRenderer, view: EnvironmentView): Promise<Environment> {
  return view.kind === 'cube' ? shipped(renderer, view) : panorama(renderer, view);
}
