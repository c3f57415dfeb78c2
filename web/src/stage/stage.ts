// The one stage: surfaces on a shape, under an environment, by three's physically based light. Two may stand on it at once, to be
// compared with one camera. While anything moves it is drawn as coarsely as it takes to keep up; when it rests, in full.
import * as THREE from 'three';
import { OrbitControls } from 'three/examples/jsm/controls/OrbitControls.js';

import type { EnvironmentView, Values } from '@/api/client';
import type { components } from '@/api/schema.generated';
import { orbitByKey } from '@/lib/orbit';

import { even, ownEnvironment, shipped, type Environment } from './environment';
import type { Behind } from './kept';
import { Output, type Showing } from './output';
import { PARTS, READINGS, shadingOf, type Opacity, type Part, type Reading, type Shading } from './shading';
import { figure, shaped, type Shape } from './shapes';
import { Shelf, type Held, type StagePicture } from './textures';

/** What stands on the stage: a shader with its pictures. */
export interface Surface {
  shader: components['schemas']['Shader'];
  pictures: StagePicture[];
  values: Values;
  opacity: Opacity;
}

interface Side {
  surface: Surface;
  shading: Shading;
  held: Held[];
}

/** A piece of what stands on the stage, with what it wears on the first and the second side. */
interface Piece {
  mesh: THREE.Mesh<THREE.BufferGeometry, THREE.Material>;
  sides: [Side | null, Side | null];
  /** How often each side was asked to wear something else: the newest ask is what it wears, whichever comes last. */
  asked: [number, number];
}

/** Frames a second that are kept while something moves, the coarsest that the stage gets for it, and how long it waits at rest. */
const KEPT = 15;
const COARSEST = 1 / 3;
const REST = 120;
const SAMPLES = 4;
/** Pixels of a saved picture's parts. */
const PART_EDGE = 1024;
const STEP = Math.PI / 24;
/** The coarseness that this machine needed last. */
let coarse = 1;

/** Whether two surfaces differ in nothing but their values. */
function isAlike(first: Surface, second: Surface): boolean {
  const said = ({ shader, pictures, opacity }: Surface) =>
    [shader.glsl, opacity.mode, opacity.threshold, ...pictures.map(({ url, srgb }) => `${url} ${srgb}`)].join(
      '\n',
    );
  return said(first) === said(second);
}

function wordsOn(held: Held[]): string {
  return held.some((entry) => entry.decoded)
    ? 'This browser does not take these blocks: they are shown as decoded, at 1024 texels at most.'
    : '';
}

/** What lies under an object: dark in the middle, nothing at the rim. */
function contactMaterial(): THREE.MeshBasicMaterial {
  const paper = document.createElement('canvas');
  paper.width = paper.height = 128;
  const ink = paper.getContext('2d');
  const fade = ink?.createRadialGradient(64, 64, 0, 64, 64, 64);
  for (let step = 0; step <= 8; step++) fade?.addColorStop(step / 8, `rgba(0,0,0,${(1 - step / 8) ** 2.2})`);
  if (ink && fade) {
    ink.fillStyle = fade;
    ink.fillRect(0, 0, 128, 128);
  }
  const map = new THREE.CanvasTexture(paper);
  return new THREE.MeshBasicMaterial({ map, color: 0x000000, transparent: true, depthWrite: false });
}

/** A stage on a canvas. Throws an Error where the browser has no WebGL 2. */
export class Stage {
  readonly renderer: THREE.WebGLRenderer;
  readonly camera = new THREE.PerspectiveCamera(30, 1, 0.05, 120);
  private readonly controls: OrbitControls;
  private readonly scene = new THREE.Scene();
  private readonly output: Output;
  private readonly key = new THREE.DirectionalLight(0xffffff, 0);
  private readonly moving: THREE.WebGLRenderTarget[] = [];
  private readonly resting: THREE.WebGLRenderTarget[] = [];
  private readonly object = new THREE.Group();
  private pieces: Piece[] = [];
  private readonly shelf: Shelf;
  /** What a piece wears that nobody dressed. */
  private readonly bare = new THREE.MeshStandardMaterial({
    color: 0x9a9a9a,
    roughness: 0.8,
    side: THREE.DoubleSide,
  });
  private readonly shadow: THREE.Mesh;
  private readonly contact: THREE.Mesh<THREE.PlaneGeometry, THREE.MeshBasicMaterial>;
  private readonly person = figure();
  private looks: [{ part: Part; reading: Reading }, { part: Part; reading: Reading }] = [
    { part: 'lit', reading: 'as meant' },
    { part: 'lit', reading: 'as meant' },
  ];
  private environments: [Environment | null, Environment | null] = [null, null];
  private repeats: [number, number] = [1, 1];
  private wished = 512;
  private heldLevel: number | null = null;
  private frame = 0;
  private rest = 0;
  private last = 0;
  private drawn = 0;
  /** Tells of each frame, whether it is drawn in full, and how long its script took in milliseconds. */
  onFrame: (full: boolean, script: number) => void = () => undefined;
  /** Tells that what is shown is not what stands there any more. */
  onStir: () => void = () => undefined;
  /** Radians a second by which the light, or the object, turns by itself. */
  turningLight = 0;
  turningObject = 0;
  private lightTurn = 0;
  private objectTurn = 0;
  private baseTurn = 0;
  private behind: Behind = 'well';
  private showing: Showing = {
    together: 'one',
    wipe: 0.5,
    factor: 4,
    exposure: 0,
    toned: true,
    behind: 'well',
    plain: [false, false],
    square: 12,
  };

  constructor(private readonly canvas: HTMLCanvasElement) {
    this.renderer = new THREE.WebGLRenderer({
      canvas,
      antialias: false,
      alpha: true,
      preserveDrawingBuffer: true,
    });
    // What is drawn is light; the output encodes it.
    this.renderer.outputColorSpace = THREE.LinearSRGBColorSpace;
    this.renderer.toneMapping = THREE.NoToneMapping;
    this.renderer.setClearColor(0x000000, 0);
    this.renderer.shadowMap.enabled = true;
    this.renderer.shadowMap.type = THREE.PCFShadowMap;
    // The shadow is drawn anew when the light or the object has moved, and not with each move of the eye.
    this.renderer.shadowMap.autoUpdate = false;
    this.output = new Output(this.renderer);
    this.shelf = new Shelf(this.renderer.getContext() as WebGL2RenderingContext);
    this.shadow = new THREE.Mesh(
      new THREE.PlaneGeometry(14, 14).rotateX(-Math.PI / 2),
      new THREE.ShadowMaterial({ opacity: 0.4 }),
    );
    this.shadow.receiveShadow = true;
    this.contact = new THREE.Mesh(new THREE.PlaneGeometry(1, 1).rotateX(-Math.PI / 2), contactMaterial());
    this.key.castShadow = true;
    this.key.shadow.mapSize.set(2048, 2048);
    this.key.shadow.radius = 5;
    this.key.shadow.normalBias = 0.02;
    Object.assign(this.key.shadow.camera, {
      left: -6,
      right: 6,
      top: 5,
      bottom: -3,
      near: 0.1,
      far: 20,
    });
    this.scene.add(this.object, this.key, this.key.target, this.shadow, this.contact, this.person);
    this.person.visible = false;
    this.controls = new OrbitControls(this.camera, canvas);
    this.controls.enablePan = true;
    this.controls.minDistance = 1.2;
    this.controls.maxDistance = 30;
    this.controls.addEventListener('change', () => this.touch());
    this.shape('sphere');
  }

  /** Put a surface on a piece, as the first side (0) or the second (1); null takes it away. Gives words on what is shown instead,
   * where blocks had to be decoded. Throws an Error that says what cannot be shown. */
  async dress(surface: Surface | null, at: 0 | 1 = 0, piece = 0): Promise<string> {
    const shape = this.pieces[piece];
    if (!shape) return '';
    if (!surface) {
      shape.asked[at]++;
      this.undress(shape, at);
      this.touch();
      return '';
    }
    const before = shape.sides[at];
    if (before && isAlike(before.surface, surface)) {
      shape.asked[at]++;
      before.surface = surface;
      this.set(surface.values, at, piece);
      return wordsOn(before.held);
    }
    const mine = ++shape.asked[at];
    const held = await this.shelf.take(surface.pictures);
    // The pieces may be others by now, and the piece may have been asked for something else.
    if (this.pieces[piece] !== shape || shape.asked[at] !== mine) {
      this.shelf.give(held);
      return '';
    }
    this.renderer.resetState();
    const shading = shadingOf(surface.shader.glsl, surface.opacity);
    surface.pictures.forEach((picture, index) => {
      const sampler = surface.shader.samplers.find((entry) => entry.output === picture.output);
      const texture = held[index];
      if (sampler && texture)
        shading.uniforms[sampler.name] = { value: new THREE.ExternalTexture(texture.texture) };
    });
    for (const uniform of surface.shader.uniforms) shading.uniforms[uniform.name] = { value: 0 };
    const texels = held.reduce((most, entry) => (entry.width > most.width ? entry : most), {
      width: 1,
      height: 1,
    });
    (shading.uniforms.texels?.value as THREE.Vector2).set(texels.width, texels.height);
    this.undress(shape, at);
    shape.sides[at] = { surface, shading, held };
    this.wish(this.wished);
    this.level(this.heldLevel);
    this.set(surface.values, at, piece);
    this.look(this.looks[at].part, this.looks[at].reading, at);
    return wordsOn(held);
  }

  /** Take a surface's values. */
  set(values: Values, at: 0 | 1 = 0, piece = 0): void {
    const side = this.pieces[piece]?.sides[at];
    if (!side) return;
    for (const uniform of side.surface.shader.uniforms) {
      const value = values[uniform.parameter];
      const target = side.shading.uniforms[uniform.name];
      if (target) target.value = Array.isArray(value) ? new THREE.Vector3().fromArray(value) : value;
    }
    this.touch();
  }

  /** What of a surface is shown, and how its maps are read. */
  look(part: Part, reading: Reading, at: 0 | 1 = 0): void {
    this.looks[at] = { part, reading };
    for (const { sides } of this.pieces) {
      const { shown_part, reading: read } = sides[at]?.shading.uniforms ?? {};
      if (shown_part) shown_part.value = PARTS.indexOf(part);
      if (read) read.value = READINGS.indexOf(reading);
    }
    this.showing.plain = [this.isPlain(0), this.isPlain(1)];
    this.touch();
  }

  /** The wished texels per metre, which texel density is coloured against. */
  wish(density: number): void {
    this.wished = density;
    for (const { shading } of this.worn())
      if (shading.uniforms.wished) shading.uniforms.wished.value = density;
    this.touch();
  }

  /** Hold all maps at one level; null leaves it to the GPU. */
  level(level: number | null): void {
    this.heldLevel = level;
    const gl = this.renderer.getContext() as WebGL2RenderingContext;
    for (const { held } of this.worn()) {
      for (const { texture } of held) {
        gl.bindTexture(gl.TEXTURE_2D, texture);
        gl.texParameterf(gl.TEXTURE_2D, gl.TEXTURE_MIN_LOD, level ?? -1000);
        gl.texParameterf(gl.TEXTURE_2D, gl.TEXTURE_MAX_LOD, level ?? 1000);
      }
    }
    this.renderer.resetState();
    this.touch();
  }

  shape(kind: Shape): void {
    const made = shaped(kind);
    this.put([made.geometry], made.repeats, made.floor);
    this.baseTurn = made.turned[1];
    this.person.visible = kind === 'ground';
    this.camera.position.set(...made.eye);
    this.controls.target.set(0, 0, 0);
    this.controls.update();
    this.touch();
  }

  /** Show the user's own model in place of a shape: each of its parts is a piece. */
  model(parts: THREE.BufferGeometry[], floor: number): void {
    this.put(
      parts.map((part) => part.clone()),
      [1, 1],
      floor,
    );
    this.baseTurn = 0;
    this.person.visible = false;
    this.camera.position.set(0, 0.6, 4.4);
    this.controls.target.set(0, 0, 0);
    this.controls.update();
    this.touch();
  }

  /** Whether a piece is shown at all. */
  hide(piece: number, hidden: boolean): void {
    const found = this.pieces[piece];
    if (found) found.mesh.visible = !hidden;
    this.renderer.shadowMap.needsUpdate = true;
    this.touch();
  }

  /** The piece at a place of the canvas, in its own pixels; null where none is. */
  pieceAt(x: number, y: number): number | null {
    const { clientWidth, clientHeight } = this.canvas;
    const ray = new THREE.Raycaster();
    ray.setFromCamera(new THREE.Vector2((x / clientWidth) * 2 - 1, 1 - (y / clientHeight) * 2), this.camera);
    const meshes = this.pieces.map(({ mesh }) => mesh).filter((mesh) => mesh.visible);
    const hit = ray.intersectObjects(meshes, false)[0];
    return hit ? this.pieces.findIndex(({ mesh }) => mesh === hit.object) : null;
  }

  /** New pieces in place of the old. What the first wore stays on it, where there is but one before and after. */
  private put(geometries: THREE.BufferGeometry[], repeats: [number, number], floor: number | null): void {
    const kept = this.pieces.length === 1 && geometries.length === 1 ? this.pieces[0] : undefined;
    if (kept) {
      kept.mesh.geometry.dispose();
      kept.mesh.geometry = geometries[0] ?? kept.mesh.geometry;
    } else {
      this.strip();
      this.pieces = geometries.map((geometry) => {
        const mesh = new THREE.Mesh<THREE.BufferGeometry, THREE.Material>(geometry, this.bare);
        mesh.castShadow = mesh.receiveShadow = true;
        this.object.add(mesh);
        return { mesh, sides: [null, null], asked: [0, 0] };
      });
    }
    this.repeats = repeats;
    this.shadow.visible = this.contact.visible = floor !== null;
    this.shadow.position.y = -(floor ?? 0) - 0.002;
    this.contact.position.y = -(floor ?? 0) - 0.001;
    this.object.rotation.set(0, 0, 0);
    const size = new THREE.Box3().setFromObject(this.object).getSize(new THREE.Vector3());
    this.contact.scale.set(size.x * 1.5, 1, size.z * 1.5);
    this.renderer.shadowMap.needsUpdate = true;
  }

  /** Light the stage by a shipped environment: both sides, or the second alone. */
  async environment(view: EnvironmentView, at: 0 | 1 = 0): Promise<void> {
    this.light(await shipped(this.renderer, view), at);
  }

  /** Light it by a file of the user's own. Throws an Error that says what is wrong with it. */
  async ownEnvironment(file: Blob, name: string): Promise<void> {
    this.light(await ownEnvironment(this.renderer, file, name), 0);
  }

  /** Light it evenly from all around, and by a lamp: what formulas are checked with. */
  even(level: number, lamp: { towards: number[]; colour: number[] } | null = null): void {
    const key = lamp && {
      towards: new THREE.Vector3().fromArray(lamp.towards).normalize(),
      colour: new THREE.Color().fromArray(lamp.colour),
    };
    this.light(even(this.renderer, level, key), 0);
  }

  private light(made: Environment, at: 0 | 1): void {
    this.environments[at]?.dispose();
    this.environments[at] = made;
    this.renderer.shadowMap.needsUpdate = true;
    this.touch();
  }

  /** Take the second side's own environment away. */
  oneLight(): void {
    this.environments[1]?.dispose();
    this.environments[1] = null;
    this.touch();
  }

  /** How light becomes a picture, and two of them one. */
  show(showing: Partial<Omit<Showing, 'plain' | 'behind'>>): void {
    Object.assign(this.showing, showing);
    this.touch();
  }

  ground(behind: Behind): void {
    this.behind = behind;
    this.showing.behind = behind === 'squares' ? 'squares' : 'well';
    this.touch();
  }

  /** Where the light and the object stand, in radians. */
  get turns(): { light: number; object: number } {
    return { light: this.lightTurn, object: this.objectTurn };
  }

  turn(light: number, object: number): void {
    this.lightTurn = light;
    this.objectTurn = object;
    this.renderer.shadowMap.needsUpdate = true;
    this.touch();
  }

  field(degrees: number): void {
    // The object keeps its size: a longer lens stands further off.
    const factor = Math.tan((this.camera.fov * Math.PI) / 360) / Math.tan((degrees * Math.PI) / 360);
    this.camera.fov = degrees;
    this.camera.position.sub(this.controls.target).multiplyScalar(factor).add(this.controls.target);
    this.camera.updateProjectionMatrix();
    this.controls.update();
    this.touch();
  }

  /** Look from a fixed place: in front, from a side, from above, from behind. */
  from(name: 'front' | 'left' | 'right' | 'above' | 'behind' | 'three quarters'): void {
    const far = this.camera.position.distanceTo(this.controls.target);
    const places: Record<typeof name, [number, number, number]> = {
      front: [0, 0, 1],
      left: [-1, 0, 0],
      right: [1, 0, 0],
      above: [0, 1, 0.001],
      behind: [0, 0, -1],
      'three quarters': [0.62, 0.42, 0.66],
    };
    this.camera.position
      .set(...places[name])
      .normalize()
      .multiplyScalar(far)
      .add(this.controls.target);
    this.controls.update();
    this.touch();
  }

  /** Turn by a key; whether it was one that turns. */
  keyed(key: string, shift: boolean): boolean {
    if (shift && (key === 'ArrowLeft' || key === 'ArrowRight')) {
      this.turn(this.lightTurn + (key === 'ArrowLeft' ? -STEP : STEP), this.objectTurn);
      return true;
    }
    return orbitByKey(this.camera, this.controls, key) && (this.touch(), true);
  }

  /** The camera as a few numbers, and back. */
  get view(): string {
    const numbers = [...this.camera.position.toArray(), ...this.controls.target.toArray()];
    return numbers.map((number) => number.toFixed(3)).join(',');
  }

  set view(text: string) {
    const numbers = text.split(',').map(Number);
    if (numbers.length !== 6 || numbers.some((number) => !Number.isFinite(number))) return;
    this.camera.position.fromArray(numbers);
    this.controls.target.fromArray(numbers, 3);
    this.controls.update();
    this.touch();
  }

  resize(): void {
    const { clientWidth, clientHeight } = this.canvas;
    if (!clientWidth || !clientHeight) return;
    this.renderer.setPixelRatio(window.devicePixelRatio);
    this.renderer.setSize(clientWidth, clientHeight, false);
    this.touch();
  }

  /** Something has changed: the next frame is drawn as coarsely as needed, and one in full when nothing does any more. */
  touch(): void {
    this.onStir();
    if (this.frame) return;
    this.frame = requestAnimationFrame((now) => this.step(now));
  }

  private step(now: number): void {
    this.frame = 0;
    window.clearTimeout(this.rest);
    const passed = this.last && now - this.last < 1000 ? (now - this.last) / 1000 : 0;
    if (passed && passed < 0.9 && this.drawn && now - this.drawn < 1000) this.pace(passed);
    this.last = now;
    this.lightTurn += Math.min(0.1, passed) * this.turningLight;
    this.objectTurn += Math.min(0.1, passed) * this.turningObject;
    if (this.turningLight || this.turningObject) this.renderer.shadowMap.needsUpdate = true;
    this.paint(false);
    this.drawn = now;
    if (this.turningLight || this.turningObject) this.touch();
    else this.rest = window.setTimeout(() => this.full(), REST);
  }

  private full(): void {
    if (this.frame) return;
    this.drawn = 0;
    this.frame = requestAnimationFrame(() => {
      this.frame = 0;
      this.last = 0;
      this.paint(true);
    });
  }

  /** As coarse as it takes to keep up, and no coarser. */
  private pace(passed: number): void {
    const wanted = coarse * Math.sqrt(1 / KEPT / passed);
    if (passed > 1.1 / KEPT) coarse = Math.max(COARSEST, wanted);
    else if (passed < 0.5 / KEPT) coarse = Math.min(1, coarse * 1.15);
  }

  /** Draw now. In full, what is drawn has all its pixels, four samples each. */
  paint(full: boolean): void {
    const began = performance.now();
    const size = this.renderer.getDrawingBufferSize(new THREE.Vector2());
    if (!this.isDressed || !size.x || !size.y) return;
    const scale = full ? 1 : coarse;
    const two = this.isTwo;
    const beside = two && this.showing.together === 'beside';
    const wide = Math.max(1, Math.round((beside ? size.x / 2 : size.x) * scale));
    const high = Math.max(1, Math.round(size.y * scale));
    const targets = full ? this.resting : this.moving;
    this.camera.aspect = (beside ? size.x / 2 : size.x) / size.y;
    this.camera.updateProjectionMatrix();
    this.draw(targets, wide, high, full ? SAMPLES : 0, two);
    this.showing.square = 12 * this.renderer.getPixelRatio();
    this.lay(targets, two);
    this.onFrame(full, performance.now() - began);
  }

  private draw(
    targets: THREE.WebGLRenderTarget[],
    wide: number,
    high: number,
    samples: number,
    two: boolean,
  ): void {
    this.object.rotation.y = this.baseTurn + this.objectTurn;
    for (const at of two ? ([0, 1] as const) : ([0] as const)) {
      const target = (targets[at] ??= new THREE.WebGLRenderTarget(wide, high, {
        type: THREE.HalfFloatType,
        samples,
      }));
      if (target.width !== wide || target.height !== high) target.setSize(wide, high);
      this.prepare(at, this.environments[at] ?? this.environments[0]);
      this.renderer.setRenderTarget(target);
      this.renderer.clear();
      this.renderer.render(this.scene, this.camera);
    }
  }

  private lay([first, second]: THREE.WebGLRenderTarget[], two: boolean): void {
    if (first) this.output.draw(first.texture, two && second ? second.texture : null, this.showing);
  }

  private prepare(at: 0 | 1, environment: Environment | null): void {
    for (const { mesh, sides } of this.pieces) {
      const side = sides[at] ?? sides[0];
      if (side) (side.shading.uniforms.repeats?.value as THREE.Vector2).set(...this.repeats);
      mesh.material = side?.shading.material ?? this.bare;
    }
    this.scene.environment = environment?.light ?? null;
    this.scene.environmentRotation.set(0, this.lightTurn, 0);
    const seen = this.behind === 'environment' || this.behind === 'blurred environment';
    this.scene.background = seen ? (environment?.light ?? null) : null;
    this.scene.backgroundRotation.set(0, this.lightTurn, 0);
    this.scene.backgroundBlurriness = this.behind === 'blurred environment' ? 0.45 : 0;
    const key = environment?.key;
    this.key.visible = Boolean(key);
    // Where light comes from all around, all the shadow there is lies close under the object.
    this.contact.material.opacity = key ? 0.3 : 0.5;
    if (this.isTwo) this.renderer.shadowMap.needsUpdate = true;
    if (!key) return;
    this.key.color.copy(key.colour);
    // A white matt surface sends light over π back: what is stated is what it sends.
    this.key.intensity = Math.PI;
    this.key.position
      .copy(key.towards)
      .applyAxisAngle(new THREE.Vector3(0, 1, 0), this.lightTurn)
      .multiplyScalar(6);
  }

  private isPlain(at: 0 | 1): boolean {
    return this.looks[at].part !== 'lit';
  }

  private get isDressed(): boolean {
    return this.pieces.some(({ sides }) => sides[0] !== null) || this.pieces.length > 1;
  }

  private get isTwo(): boolean {
    return this.environments[1] !== null || this.pieces.some(({ sides }) => sides[1] !== null);
  }

  private *worn(): Generator<Side> {
    for (const { sides } of this.pieces) for (const side of sides) if (side) yield side;
  }

  /** The stage as a PNG, as it stands, so many pixels wide; drawn in parts, so that no size is too large for the GPU. `clear` leaves
   * out what lies behind. */
  async picture(width: number, clear = false): Promise<Blob | null> {
    const { clientWidth, clientHeight } = this.canvas;
    const height = Math.max(1, Math.round((width * clientHeight) / Math.max(1, clientWidth)));
    const paper = document.createElement('canvas');
    [paper.width, paper.height] = [width, height];
    const ink = paper.getContext('2d');
    if (!ink || !this.isDressed) return null;
    const two = this.isTwo;
    const kept = { ...this.showing };
    const beside = two && kept.together === 'beside';
    // Side by side each has half of the picture to itself.
    const wide = beside ? Math.ceil(width / 2) : width;
    this.renderer.setPixelRatio(1);
    this.showing.behind = clear ? 'nothing' : kept.behind;
    this.showing.square = (12 * width) / Math.max(1, clientWidth);
    for (const side of beside ? ([0, 1] as const) : [null]) this.inParts(ink, wide, height, side, kept.wipe);
    this.showing = kept;
    this.camera.clearViewOffset();
    this.resize();
    return new Promise((resolve) => paper.toBlob(resolve, 'image/png'));
  }

  /** Draw a picture in parts: both sides as they stand together, or one of two that stand side by side. */
  private inParts(
    ink: CanvasRenderingContext2D,
    width: number,
    height: number,
    side: 0 | 1 | null,
    wipe: number,
  ): void {
    const targets: THREE.WebGLRenderTarget[] = [];
    this.camera.aspect = width / height;
    if (side !== null) this.showing = { ...this.showing, together: 'one' };
    for (let y = 0; y < height; y += PART_EDGE) {
      for (let x = 0; x < width; x += PART_EDGE) {
        const [wide, high] = [Math.min(PART_EDGE, width - x), Math.min(PART_EDGE, height - y)];
        this.renderer.setSize(wide, high, false);
        this.camera.setViewOffset(width, height, x, y, wide, high);
        this.draw(targets, wide, high, SAMPLES, this.isTwo);
        this.showing.wipe = (wipe * width - x) / wide;
        this.lay(side === 1 ? targets.slice(1) : targets, side === null && this.isTwo);
        ink.drawImage(this.canvas, x + (side === 1 ? width : 0), y);
      }
    }
    for (const target of targets) target.dispose();
  }

  /** The light of the first side as numbers, before exposure and tone: (height, width, 4), the lowest row first. */
  measured(width: number, height: number): Float32Array {
    const target = new THREE.WebGLRenderTarget(width, height, { type: THREE.FloatType });
    this.camera.aspect = width / height;
    this.camera.updateProjectionMatrix();
    this.draw([target], width, height, 0, false);
    const found = new Float32Array(width * height * 4);
    this.renderer.readRenderTargetPixels(target, 0, 0, width, height, found);
    target.dispose();
    return found;
  }

  /** What lies on the GPU: textures and geometries that three counts, and those that are ours. */
  get memory(): { textures: number; geometries: number; programs: number } {
    const { textures, geometries } = this.renderer.info.memory;
    return {
      textures: textures + this.shelf.count,
      geometries,
      programs: this.renderer.info.programs?.length ?? 0,
    };
  }

  private undress(piece: Piece, at: 0 | 1): void {
    const side = piece.sides[at];
    if (!side) return;
    side.shading.material.dispose();
    this.shelf.give(side.held);
    piece.sides[at] = null;
  }

  /** Take all pieces away, with what they wear. */
  private strip(): void {
    for (const piece of this.pieces) {
      this.undress(piece, 0);
      this.undress(piece, 1);
      piece.mesh.geometry.dispose();
      this.object.remove(piece.mesh);
    }
    this.pieces = [];
  }

  end(): void {
    cancelAnimationFrame(this.frame);
    window.clearTimeout(this.rest);
    this.turningLight = this.turningObject = 0;
    this.strip();
    this.bare.dispose();
    for (const environment of this.environments) environment?.dispose();
    for (const target of [...this.moving, ...this.resting]) target.dispose();
    this.controls.dispose();
    this.output.dispose();
    this.contact.material.map?.dispose();
    this.renderer.dispose();
    this.renderer.forceContextLoss();
  }
}
