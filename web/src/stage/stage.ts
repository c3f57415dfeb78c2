// The one stage: surfaces on a shape, under an environment, by three's physically based light. Two may stand on it at once, to be
// compared with one camera. While anything moves it is drawn as coarsely as it takes to keep up; when it rests, in full.
import * as THREE from 'three';

import type { EnvironmentView, Values } from '@/api/client';
import type { components } from '@/api/schema.generated';

import { Eye } from './eye';
import { Ground } from './ground';
import { Lights } from './lights';
import type { Behind } from './kept';
import { Output, type Showing } from './output';
import { Pacing } from './pacing';
import { Piece, type Bare, type Dress, type Seen } from './piece';
import { pngOf } from './saving';
import { shadingOf, type HeightUse, type Opacity, type Part, type Reading, type Relief } from './shading';
import { FINE, shaped, type Shape } from './shapes';
import { Shelf, type Held, type StagePicture } from './textures';

/** What stands on the stage: a shader with its pictures. */
export interface Surface {
  shader: components['schemas']['Shader'];
  pictures: StagePicture[];
  values: Values;
  opacity: Opacity;
  /** How its height is read, where it has one, and whether it has a normal of its own. */
  height?: HeightUse | null;
  bent?: boolean;
}

const SAMPLES = 4;
const STEP = Math.PI / 24;
/** Coarser than this, shapes are drawn with fewer triangles. */
const THIN = 0.7;

/** Whether two surfaces differ in nothing but their values. */
function isAlike(first: Surface, second: Surface): boolean {
  const said = ({ shader, pictures, opacity, height }: Surface) =>
    [
      shader.glsl,
      height?.glsl,
      opacity.mode,
      opacity.threshold,
      ...pictures.map(({ url, srgb }) => `${url} ${srgb}`),
    ].join('\n');
  return said(first) === said(second);
}

function wordsOn(held: Held[]): string {
  return held.some((entry) => entry.decoded)
    ? 'This browser does not take these blocks: they are shown as decoded, at 1024 texels at most.'
    : '';
}

/** What a uniform takes of a variant's values. */
function uniformValue(uniform: components['schemas']['Uniform'], values: Values): unknown {
  const own = values[uniform.parameter];
  if (uniform.kind === 'given') return own !== undefined;
  const value = own ?? uniform.otherwise ?? 0;
  if (uniform.kind === 'choice') return Math.max(0, uniform.choices.indexOf(String(value)));
  if (!Array.isArray(value)) return value;
  const [x = 0, y = 0, z = 0, w = 0] = value;
  if (value.length === 2) return new THREE.Vector2(x, y);
  return value.length === 3 ? new THREE.Vector3(x, y, z) : new THREE.Vector4(x, y, z, w);
}

/** What is seen of overdraw: each time that the GPU shades a place makes it lighter. */
function layerMaterial(): THREE.MeshBasicMaterial {
  return new THREE.MeshBasicMaterial({
    color: new THREE.Color().setRGB(0.06, 0.05, 0.04, THREE.LinearSRGBColorSpace),
    blending: THREE.CustomBlending,
    blendSrc: THREE.OneFactor,
    blendDst: THREE.OneFactor,
    blendSrcAlpha: THREE.OneFactor,
    blendDstAlpha: THREE.OneMinusSrcAlphaFactor,
    depthTest: false,
    depthWrite: false,
    transparent: true,
    side: THREE.DoubleSide,
  });
}

/** A stage on a canvas. Throws an Error where the browser has no WebGL 2. */
export class Stage {
  readonly renderer: THREE.WebGLRenderer;
  readonly eye: Eye;
  private readonly scene = new THREE.Scene();
  private readonly output: Output;
  private readonly pacing: Pacing;
  private readonly lights = new Lights();
  private readonly moving: THREE.WebGLRenderTarget[] = [];
  private readonly resting: THREE.WebGLRenderTarget[] = [];
  private readonly object = new THREE.Group();
  private pieces: Piece[] = [];
  private readonly shelf: Shelf;
  private readonly under = new Ground();
  private readonly layer = layerMaterial();
  private readonly looks: [{ part: Part; reading: Reading }, { part: Part; reading: Reading }] = [
    { part: 'lit', reading: 'as meant' },
    { part: 'lit', reading: 'as meant' },
  ];
  private form: {
    shape: Shape | null;
    repeats: [number, number];
    span: number;
    points: number;
    painted: boolean;
  } = {
    painted: false,
    shape: null,
    repeats: [1, 1],
    span: 1,
    points: 0,
  };
  private height: { relief: Relief; depth: number; mid: number } = { relief: 'flat', depth: 0.04, mid: 0.5 };
  private wished = 512;
  private wired = false;
  private heldLevel: number | null = null;
  private thinly = false;
  private shownRow = { number: 0, low: 0, high: 1 };
  /** Tells of each frame, whether it is drawn in full, and how long its script took in milliseconds. */
  onFrame: (full: boolean, script: number) => void = () => undefined;
  /** Tells that what is shown is not what stands there any more. */
  onStir: () => void = () => undefined;
  /** Radians a second by which the light, or the object, turns by itself. */
  turningLight = 0;
  turningObject = 0;
  /** Whether time runs for what moves by it. */
  timeRuns = false;
  private lightTurn = 0;
  private objectTurn = 0;
  private baseTurn = 0;
  /** How long time has run. */
  private seconds = 0;
  private behind: Behind = 'well';
  showing: Showing = {
    together: 'one',
    swapped: false,
    wipe: 0.5,
    factor: 4,
    exposure: 0,
    toned: true,
    behind: 'well',
    plain: [false, false],
    square: 12,
  };

  constructor(readonly canvas: HTMLCanvasElement) {
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
    this.pacing = new Pacing((full, scale, passed) => this.step(full, scale, passed));
    this.shelf = new Shelf(this.renderer.getContext() as WebGL2RenderingContext);
    this.scene.add(this.object, ...this.lights.lamps, this.under.group);
    this.eye = new Eye(canvas, () => this.touch());
    this.shape('sphere');
  }

  /** Put a surface on a piece, as the first side (0) or the second (1); “own” shows what its file brings, null takes it away. Gives
   * words on what is shown instead, where blocks had to be decoded. Throws an Error that says what cannot be shown. */
  async dress(dress: Dress, at: 0 | 1 = 0, number = 0): Promise<string> {
    const piece = this.pieces[number];
    if (!piece) return '';
    const mine = ++piece.asked[at];
    this.renderer.shadowMap.needsUpdate = true;
    if (!dress || dress === 'own') {
      if (dress) piece.wearOwn(at, this.shelf);
      else piece.undress(at, this.shelf);
      this.touch();
      return '';
    }
    const before = piece.sides[at];
    if (before && isAlike(before.surface, dress)) {
      before.surface = dress;
      this.set(dress.values, at, number);
      return wordsOn(before.held);
    }
    const held = await this.shelf.take(dress.pictures);
    // The pieces may be others by now, and the piece may have been asked for something else.
    if (this.pieces[number] !== piece || piece.asked[at] !== mine) {
      this.shelf.give(held);
      return '';
    }
    this.renderer.resetState();
    piece.wear(this.side(dress, held), at, this.shelf);
    this.refine();
    this.level(this.heldLevel);
    this.set(dress.values, at, number);
    this.renderer.shadowMap.needsUpdate = true;
    return wordsOn(held);
  }

  private side(surface: Surface, held: Held[]) {
    const { shader, pictures, opacity, height, bent = true } = surface;
    const { glsl, samplers, mesh, extended, rows } = shader;
    const shading = shadingOf({
      ...{ glsl, samplers, mesh, extended, rows, opacity, bent },
      height: height ?? null,
    });
    const used = height ? [...samplers, height.sampler] : samplers;
    pictures.forEach((picture, index) => {
      const texture = held[index];
      for (const sampler of used)
        if (texture && sampler.output === picture.output && sampler.holder === picture.holder)
          shading.uniforms[sampler.name] = { value: new THREE.ExternalTexture(texture.texture) };
    });
    for (const uniform of shader.uniforms) shading.uniforms[uniform.name] = { value: 0 };
    const texels = held.reduce((most, entry) => (entry.width > most.width ? entry : most), {
      width: 1,
      height: 1,
    });
    (shading.uniforms.texels?.value as THREE.Vector2).set(texels.width, texels.height);
    return { surface, shading, held };
  }

  /** Take a surface's values. */
  set(values: Values, at: 0 | 1 = 0, number = 0): void {
    const side = this.pieces[number]?.sides[at];
    if (!side) return;
    for (const uniform of side.surface.shader.uniforms) {
      const target = side.shading.uniforms[uniform.name];
      if (target) target.value = uniformValue(uniform, values);
    }
    this.touch();
  }

  /** What of a surface is shown, and how its maps are read. */
  look(part: Part, reading: Reading, at: 0 | 1 = 0): void {
    this.looks[at] = { part, reading };
    this.showing.plain = [this.isPlain(0), this.isPlain(1)];
    this.touch();
  }

  /** Which strand is seen where rows are shown: by its place among the shader's rows, black and white at these two numbers. */
  row(row: { number: number; low: number; high: number }): void {
    this.shownRow = row;
    this.touch();
  }

  /** The wished texels per metre, which texel density is coloured against. */
  wish(density: number): void {
    this.wished = density;
    this.touch();
  }

  /** How heights are shown, how deep they reach as a share of the picture's width, and which height stays where it is. What cannot
   * be displaced is shown as parallax. */
  relief(relief: Relief, depth: number, mid: number): void {
    this.height = { relief, depth, mid };
    this.refine();
    this.renderer.shadowMap.needsUpdate = true;
    this.touch();
  }

  /** Whether a shape has to be fine: it is dear, and nothing moves its points without a height. */
  private isFine(shape: Shape): boolean {
    const high = this.pieces.some(({ sides }) => sides.some((side) => side?.surface.height));
    return high && this.height.relief === 'displaced' && FINE.includes(shape);
  }

  /** Whether what is painted counts for anything that is worn. */
  private get isPainted(): boolean {
    return this.pieces.some(({ sides }) =>
      sides.some((side) => side?.surface.shader.mesh.some((name) => name.startsWith('vertex'))),
    );
  }

  private refine(): void {
    const { shape, points, painted } = this.form;
    if (shape && (this.isFine(shape) !== points > 0 || this.isPainted !== painted))
      this.form.points = this.reform(shape).points;
  }

  /** Hold all maps at one level; null leaves it to the GPU. */
  level(level: number | null): void {
    this.heldLevel = level;
    const gl = this.renderer.getContext() as WebGL2RenderingContext;
    for (const { sides } of this.pieces) {
      for (const { texture } of sides.flatMap((side) => side?.held ?? [])) {
        gl.bindTexture(gl.TEXTURE_2D, texture);
        gl.texParameterf(gl.TEXTURE_2D, gl.TEXTURE_MIN_LOD, level ?? -1000);
        gl.texParameterf(gl.TEXTURE_2D, gl.TEXTURE_MAX_LOD, level ?? 1000);
      }
    }
    this.renderer.resetState();
    this.touch();
  }

  shape(shape: Shape): void {
    const { repeats, span, points, turned, eye, floor } = this.reform(shape);
    this.form = { shape, repeats, span, points, painted: this.isPainted };
    this.stand(floor, turned[1], eye);
    this.under.show(shape === 'ground');
  }

  /** Show the user's own model in place of a shape: each of its parts is a piece. */
  model(parts: readonly Bare[], floor: number): void {
    this.put(parts);
    this.form = { shape: null, repeats: [1, 1], span: 1, points: 0, painted: false };
    this.stand(floor, 0, [0, 0.6, 4.4]);
    this.under.show(false);
  }

  private reform(shape: Shape) {
    this.form.painted = this.isPainted;
    const made = shaped(shape, this.isFine(shape), this.isPainted);
    this.put([{ geometry: made.geometry }]);
    return made;
  }

  /** Whether a piece is shown at all. */
  hide(number: number, hidden: boolean): void {
    const found = this.pieces[number];
    if (found) found.mesh.visible = !hidden;
    this.renderer.shadowMap.needsUpdate = true;
    this.touch();
  }

  /** The piece at a place of the canvas, in its own pixels; null where none is. */
  pieceAt(x: number, y: number): number | null {
    return this.hitAt(x, y)?.piece ?? null;
  }

  /** What of a piece lies at a place of the canvas: where on its geometry; null where none is. */
  hitAt(
    x: number,
    y: number,
  ): { piece: number; geometry: THREE.BufferGeometry; point: THREE.Vector3 } | null {
    const { clientWidth, clientHeight } = this.canvas;
    const ray = new THREE.Raycaster();
    ray.setFromCamera(
      new THREE.Vector2((x / clientWidth) * 2 - 1, 1 - (y / clientHeight) * 2),
      this.eye.camera,
    );
    const meshes = this.pieces.map(({ mesh }) => mesh).filter((mesh) => mesh.visible);
    const hit = ray.intersectObjects(meshes, false)[0];
    const piece = this.pieces.findIndex(({ mesh }) => mesh === hit?.object);
    const mesh = this.pieces[piece]?.mesh;
    return hit && mesh
      ? { piece, geometry: mesh.geometry, point: mesh.worldToLocal(hit.point.clone()) }
      : null;
  }

  /** What is painted on the pieces is another. */
  repaint(): void {
    this.touch();
  }

  /** A piece has more points than it had. */
  reshapePiece(number: number, geometry: THREE.BufferGeometry): void {
    this.pieces[number]?.reshape(geometry);
    this.wire(this.wired);
    this.touch();
  }

  /** Whether the edges of all triangles are drawn over the pieces. */
  wire(on: boolean): void {
    this.wired = on;
    for (const piece of this.pieces) piece.wire(on);
    this.touch();
  }

  /** New pieces in place of the old. What the first wore stays on it, where there is but one before and after. */
  private put(parts: readonly Bare[]): void {
    const [first] = parts;
    if (this.pieces.length === 1 && parts.length === 1 && this.form.shape && first) {
      this.pieces[0]?.reshape(first.geometry);
      return;
    }
    this.strip();
    this.pieces = parts.map((part) => new Piece(part));
    for (const { mesh } of this.pieces) this.object.add(mesh);
  }

  private stand(floor: number | null, turned: number, eye: [number, number, number]): void {
    this.object.rotation.set(0, 0, 0);
    const size = new THREE.Box3().setFromObject(this.object).getSize(new THREE.Vector3());
    this.under.lie(floor, size);
    this.baseTurn = turned;
    this.eye.stand(eye);
    this.renderer.shadowMap.needsUpdate = true;
    this.touch();
  }

  /** Light the stage by an environment: both sides, or the second alone. Throws an Error that says why it cannot be had. */
  async environment(view: EnvironmentView, at: 0 | 1 = 0): Promise<void> {
    await this.lights.take(this.renderer, view, at);
    this.relit();
  }

  /** Light it evenly from all around, and by a lamp: what formulas are checked with. */
  even(level: number, lamp: { towards: number[]; colour: number[] } | null = null): void {
    this.lights.even(this.renderer, level, lamp);
    this.relit();
  }

  /** Take the second side's own environment away. */
  oneLight(): void {
    this.lights.one();
    this.touch();
  }

  private relit(): void {
    this.renderer.shadowMap.needsUpdate = true;
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

  /** Turn the light by a step, one way or the other. */
  nudge(way: 1 | -1): void {
    this.turn(this.lightTurn + way * STEP, this.objectTurn);
  }

  resize(): void {
    const { clientWidth, clientHeight } = this.canvas;
    if (!clientWidth || !clientHeight) return;
    this.renderer.setSize(clientWidth, clientHeight, false);
    this.touch();
  }

  /** Something has changed and is to be seen. */
  touch(): void {
    this.onStir();
    this.pacing.touch();
  }

  private step(full: boolean, scale: number, passed: number): boolean {
    const share = Math.min(0.1, passed);
    this.lightTurn += share * this.turningLight;
    this.objectTurn += share * this.turningObject;
    const turns = Boolean(this.turningLight || this.turningObject);
    if (turns) this.renderer.shadowMap.needsUpdate = true;
    if (this.timeRuns) this.seconds += passed;
    this.paint(full, scale);
    return turns || this.timeRuns;
  }

  /** Draw now. In full, what is drawn has all its pixels, four samples each. */
  paint(full: boolean, scale = 1): void {
    const began = performance.now();
    // The browser stretches a canvas with fewer pixels to the same place.
    const ratio = window.devicePixelRatio * scale;
    if (this.renderer.getPixelRatio() !== ratio) this.renderer.setPixelRatio(ratio);
    const size = this.renderer.getDrawingBufferSize(new THREE.Vector2());
    if (!this.isDressed || !size.x || !size.y) return;
    const beside = this.isTwo && this.showing.together === 'beside';
    const wide = Math.max(1, Math.round(beside ? size.x / 2 : size.x));
    const high = Math.max(1, Math.round(size.y));
    const targets = full ? this.resting : this.moving;
    this.eye.frame((beside ? size.x / 2 : size.x) / size.y);
    this.thinly = scale < THIN;
    this.draw(targets, wide, high, full);
    this.thinly = false;
    this.showing.square = 12 * this.renderer.getPixelRatio();
    this.lay(targets);
    this.onFrame(full, performance.now() - began);
  }

  /** Draw the sides that are to be seen into targets of that size, each at its own place. */
  draw(targets: THREE.WebGLRenderTarget[], wide: number, high: number, full = true): void {
    for (const at of this.sides) this.drawSide(targets, at, wide, high, full, THREE.HalfFloatType);
  }

  private drawSide(
    targets: THREE.WebGLRenderTarget[],
    at: 0 | 1,
    wide: number,
    high: number,
    full: boolean,
    type: THREE.TextureDataType,
  ): void {
    this.object.rotation.y = this.baseTurn + this.objectTurn;
    this.object.updateMatrixWorld(true);
    const target = (targets[at] ??= new THREE.WebGLRenderTarget(wide, high, {
      type,
      samples: full && type === THREE.HalfFloatType ? SAMPLES : 0,
      // It is laid on the canvas texel by texel.
      minFilter: THREE.NearestFilter,
      magFilter: THREE.NearestFilter,
    }));
    if (target.width !== wide || target.height !== high) target.setSize(wide, high);
    this.prepare(at, full);
    this.renderer.setRenderTarget(target);
    this.renderer.clear();
    this.renderer.render(this.scene, this.eye.camera);
    for (const piece of this.pieces) piece.forget(at);
  }

  /** Lay what was drawn on the canvas. */
  lay(targets: THREE.WebGLRenderTarget[]): void {
    const [first, second] = this.sides.map((at) => targets[at]?.texture);
    const { plain } = this.showing;
    const [only] = this.sides;
    // Where one is shown alone, what is plain is its own.
    const shown =
      only === 1 ? { ...this.showing, plain: [plain[1], plain[1]] as [boolean, boolean] } : this.showing;
    if (first) this.output.draw(first, second ?? null, shown);
  }

  /** The sides that are to be seen, and so to be drawn. */
  private get sides(): readonly (0 | 1)[] {
    if (!this.isTwo) return [0];
    if (this.showing.together !== 'one') return [0, 1];
    return [this.showing.swapped ? 1 : 0];
  }

  private prepare(at: 0 | 1, full: boolean): void {
    const { points, repeats, span } = this.form;
    const { relief, depth, mid } = this.height;
    const seen: Seen = {
      ...this.looks[at],
      repeats,
      span,
      wished: this.wished,
      relief: relief === 'displaced' && !points ? 'parallax' : relief,
      depth,
      mid,
      points: points || 1,
      thinly: this.thinly,
      seconds: this.seconds,
      row: this.shownRow,
    };
    this.eye.camera.updateMatrixWorld();
    for (const piece of this.pieces) {
      piece.show(at, seen, this.eye.camera.position, full);
      if (seen.part === 'overdraw') piece.mesh.material = this.layer;
    }
    this.under.light(
      this.lights.shine(this.scene, at, this.lightTurn, seen.part === 'lit' ? this.behind : 'well'),
    );
    if (this.isTwo) this.renderer.shadowMap.needsUpdate = true;
  }

  private isPlain(at: 0 | 1): boolean {
    return this.looks[at].part !== 'lit';
  }

  private get isDressed(): boolean {
    return this.form.shape === null || this.pieces.some((piece) => piece.wears(0));
  }

  get isTwo(): boolean {
    return this.lights.areTwo || this.pieces.some((piece) => piece.wears(1));
  }

  /** The stage as a PNG, as it stands, so many pixels wide. `clear` leaves out what lies behind. */
  async picture(width: number, clear = false): Promise<Blob | null> {
    if (!this.isDressed) return null;
    const made = pngOf(this, width, clear);
    this.resize();
    return made;
  }

  /** The light of the first side as numbers, before exposure and tone: (height, width, 4), the lowest row first. */
  measured(width: number, height: number): Float32Array {
    const targets: THREE.WebGLRenderTarget[] = [];
    this.eye.frame(width / height);
    this.drawSide(targets, 0, width, height, true, THREE.FloatType);
    const found = new Float32Array(width * height * 4);
    const [target] = targets;
    if (target) this.renderer.readRenderTargetPixels(target, 0, 0, width, height, found);
    target?.dispose();
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

  /** Take all pieces away, with what they wear. */
  private strip(): void {
    for (const piece of this.pieces) {
      piece.dispose(this.shelf);
      this.object.remove(piece.mesh);
    }
    this.pieces = [];
  }

  end(): void {
    this.pacing.end();
    this.turningLight = this.turningObject = 0;
    this.timeRuns = false;
    this.strip();
    this.layer.dispose();
    this.lights.dispose();
    // A side that was never seen was never drawn.
    for (const target of [...this.moving, ...this.resting])
      (target as THREE.WebGLRenderTarget | undefined)?.dispose();
    this.eye.dispose();
    this.output.dispose();
    this.under.dispose();
    this.renderer.dispose();
    // One that was lost comes back only where nobody asked for the loss.
    if (!this.renderer.getContext().isContextLost()) this.renderer.forceContextLoss();
  }
}
