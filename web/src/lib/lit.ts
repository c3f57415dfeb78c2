// A lit shape for looking at maps before anything is built: a plane, a sphere, a cube, or the set's own mesh. A normal map is
// shown under both readings of green, side by side, under the same turning light.
import * as THREE from 'three';
import { OrbitControls } from 'three/examples/jsm/controls/OrbitControls.js';

import { orbitByKey } from './orbit';

export type LitShape = 'plane' | 'sphere' | 'cube' | 'own mesh';

export interface LitMaps {
  colour: string | null;
  /** Without blue, the third component follows from unit length. */
  normal: { url: string; blue: boolean } | null;
  /** `inverted` for gloss. */
  roughness: { url: string; inverted: boolean } | null;
}

const GAP = 2;

/** Geometry from a glTF (.glb, .gltf with its buffers inside) or OBJ file. Throws an Error that says what is wrong with it. */
export async function meshOf(file: Blob, name: string): Promise<THREE.BufferGeometry> {
  let root: THREE.Object3D;
  if (name.toLowerCase().endsWith('.obj')) {
    const { OBJLoader } = await import('three/examples/jsm/loaders/OBJLoader.js');
    root = new OBJLoader().parse(await file.text());
  } else {
    const { GLTFLoader } = await import('three/examples/jsm/loaders/GLTFLoader.js');
    const read = await new GLTFLoader().parseAsync(await file.arrayBuffer(), '').catch(() => {
      throw new Error('is no glTF that stands alone; export it as .glb.');
    });
    root = read.scene;
  }
  const found: THREE.BufferGeometry[] = [];
  root.updateMatrixWorld(true);
  root.traverse((part) => {
    if (!(part instanceof THREE.Mesh)) return;
    const geometry = (part.geometry as THREE.BufferGeometry).clone().applyMatrix4(part.matrixWorld);
    if (geometry.getAttribute('uv')) found.push(geometry.index ? geometry.toNonIndexed() : geometry);
  });
  if (!found.length) throw new Error('holds no mesh with texture coordinates.');
  return joined(found);
}

/** One geometry of several, moved to the middle and scaled to the size of the other shapes. */
function joined(parts: THREE.BufferGeometry[]): THREE.BufferGeometry {
  const made = new THREE.BufferGeometry();
  for (const [name, size] of [
    ['position', 3],
    ['normal', 3],
    ['uv', 2],
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
    made.setAttribute(name, new THREE.BufferAttribute(all, size));
  }
  made.center();
  made.computeBoundingSphere();
  const radius = made.boundingSphere?.radius ?? 1;
  made.scale(1.1 / radius, 1.1 / radius, 1.1 / radius);
  return made;
}

export class LitStage {
  private readonly renderer: THREE.WebGLRenderer;
  private readonly camera = new THREE.PerspectiveCamera(30, 1, 0.1, 20);
  private readonly controls: OrbitControls;
  private readonly scene = new THREE.Scene();
  private readonly sun = new THREE.DirectionalLight(0xffffff, 3.2);
  private readonly material = new THREE.MeshStandardMaterial({
    color: 0xb8b8b8,
    roughness: 0.55,
    metalness: 0,
  });
  private readonly mesh = new THREE.Mesh<THREE.BufferGeometry, THREE.MeshStandardMaterial>(
    new THREE.PlaneGeometry(2, 2),
    this.material,
  );
  private readonly loader = new THREE.TextureLoader();
  private frame = 0;
  private last = 0;
  private turn = 0.6;
  /** Radians a second. */
  turning = 0;
  private readonly reading = { blueRebuilt: { value: false }, glossy: { value: false } };

  /** Throws an Error where the browser has no WebGL 2. */
  constructor(private readonly canvas: HTMLCanvasElement) {
    this.renderer = new THREE.WebGLRenderer({ canvas, antialias: true, preserveDrawingBuffer: true });
    this.renderer.setClearColor(
      new THREE.Color().setRGB(0x77 / 255, 0x77 / 255, 0x77 / 255, THREE.SRGBColorSpace),
    );
    this.material.onBeforeCompile = (shader) => {
      Object.assign(shader.uniforms, this.reading);
      shader.fragmentShader = shader.fragmentShader
        .replace('#include <common>', `#include <common>\nuniform bool blueRebuilt, glossy;`)
        .replace(
          '#include <normal_fragment_maps>',
          THREE.ShaderChunk.normal_fragment_maps.replace(
            'mapN.xy *= normalScale;',
            'if (blueRebuilt) mapN.z = sqrt(max(0.0, 1.0 - dot(mapN.xy, mapN.xy))); mapN.xy *= normalScale;',
          ),
        )
        .replace(
          '#include <roughnessmap_fragment>',
          THREE.ShaderChunk.roughnessmap_fragment.replace(
            'texelRoughness.g',
            '(glossy ? 1.0 - texelRoughness.g : texelRoughness.g)',
          ),
        );
    };
    this.camera.position.set(0, 0, 4.4);
    this.controls = new OrbitControls(this.camera, canvas);
    this.controls.enablePan = false;
    this.controls.addEventListener('change', () => this.draw());
    this.scene.add(this.mesh, this.sun, new THREE.HemisphereLight(0xe8eefc, 0x4a4640, 0.9));
  }

  /** Turn by a key; whether it was one that turns. */
  key(key: string): boolean {
    return orbitByKey(this.camera, this.controls, key) && (this.draw(), true);
  }

  /** Show other maps; gives when they are all there. A map that cannot be fetched is left out. */
  async dress(maps: LitMaps): Promise<void> {
    const [colour, normal, roughness] = await Promise.all([
      this.texture(maps.colour, true),
      this.texture(maps.normal?.url ?? null, false),
      this.texture(maps.roughness?.url ?? null, false),
    ]);
    this.material.map = colour;
    this.material.normalMap = normal;
    this.material.roughnessMap = roughness;
    this.reading.blueRebuilt.value = maps.normal?.blue === false;
    this.reading.glossy.value = maps.roughness?.inverted ?? false;
    this.material.color.setHex(colour ? 0xffffff : 0xb8b8b8);
    this.material.roughness = this.material.roughnessMap ? 1 : 0.5;
    this.material.needsUpdate = true;
    this.draw();
  }

  shape(kind: LitShape, own: THREE.BufferGeometry | null): void {
    const shapes: Record<LitShape, () => THREE.BufferGeometry> = {
      plane: () => new THREE.PlaneGeometry(2, 2),
      sphere: () => new THREE.SphereGeometry(1.05, 96, 64),
      cube: () => new THREE.BoxGeometry(1.5, 1.5, 1.5),
      'own mesh': () => own ?? new THREE.SphereGeometry(1.05, 96, 64),
    };
    if (this.mesh.geometry !== own) this.mesh.geometry.dispose();
    this.mesh.geometry = shapes[kind]();
    this.mesh.rotation.set(0, 0, 0);
    if (kind === 'cube') this.mesh.rotation.set(0.35, 0.6, 0);
    this.draw();
  }

  /** Where the light stands, in radians around the eye's axis. */
  get light(): number {
    return this.turn;
  }

  set light(turn: number) {
    this.turn = turn;
    this.draw();
  }

  draw(): void {
    if (this.frame) return;
    this.frame = requestAnimationFrame((now) => {
      this.frame = 0;
      if (this.turning) {
        this.turn += this.turning * Math.min(0.1, (now - this.last) / 1000);
        this.last = now;
      }
      this.paint();
      if (this.turning) this.draw();
    });
  }

  dispose(): void {
    cancelAnimationFrame(this.frame);
    this.controls.dispose();
    this.mesh.geometry.dispose();
    this.material.dispose();
    this.renderer.dispose();
    this.renderer.forceContextLoss();
  }

  private paint(): void {
    const width = this.canvas.clientWidth;
    const height = this.canvas.clientHeight;
    if (!width || !height) return;
    this.renderer.setPixelRatio(window.devicePixelRatio || 1);
    this.renderer.setSize(width, height, false);
    this.sun.position.set(2.4 * Math.cos(this.turn + 1.9), 2.4 * Math.sin(this.turn + 1.9), 1.7);
    const half = width / 2 - GAP / 2;
    const parts: [number, number, 1 | -1][] = [
      [0, half, 1],
      [width / 2 + GAP / 2, half, -1],
    ];
    this.renderer.setScissorTest(true);
    for (const [left, wide, sign] of parts) {
      this.camera.aspect = wide / height;
      this.camera.updateProjectionMatrix();
      this.material.normalScale.set(1, sign);
      this.renderer.setViewport(left, 0, wide, height);
      this.renderer.setScissor(left, 0, wide, height);
      this.renderer.render(this.scene, this.camera);
    }
  }

  private async texture(url: string | null, colour: boolean): Promise<THREE.Texture | null> {
    if (!url) return null;
    const texture = await this.loader.loadAsync(url).catch(() => null);
    if (!texture) return null;
    texture.colorSpace = colour ? THREE.SRGBColorSpace : THREE.NoColorSpace;
    texture.wrapS = texture.wrapT = THREE.RepeatWrapping;
    texture.anisotropy = 8;
    return texture;
  }
}
