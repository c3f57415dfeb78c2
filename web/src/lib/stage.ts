// The one light stage: a master's shader on a shape, between our lights. Three draws; the lights and the glass are ours.
import * as THREE from 'three';
import { OrbitControls } from 'three/examples/jsm/controls/OrbitControls.js';

import { orbitByKey } from './orbit';

import type { Values, VariantView } from '@/api/client';

import { fetchDds, ddsUrl, upload } from './dds';

export type Shape = 'sphere' | 'plane' | 'cube';

const VERTEX = `
in vec4 tangent;
out vec3 v_at, v_normal, v_along;
out vec3 v_up;
out vec2 v_uv;
uniform vec2 spread;
void main() {
  vec4 at = modelMatrix * vec4(position, 1.0);
  v_at = at.xyz;
  v_normal = mat3(modelMatrix) * normal;
  v_along = mat3(modelMatrix) * tangent.xyz;
  v_up = cross(v_normal, v_along) * tangent.w;
  // Textures have their first row at the top.
  v_uv = vec2(uv.x, 1.0 - uv.y) * spread;
  gl_Position = projectionMatrix * viewMatrix * at;
}`;

/* GGX and Smith after Walter et al. 2007, roughness squared after Burley 2012, Fresnel after Schlick. The room around is two soft
boxes and a gradient, blurred by roughness; its reflectance is the fit of Karis, "Physically Based Shading on Mobile" (from
memory). */
const LIGHT = `
in vec3 v_at, v_normal, v_along, v_up;
in vec2 v_uv;
uniform float turn;
out vec4 shown;
float box_light(vec3 d, vec3 at, float size, float blur) { return smoothstep(size - blur, size + blur * 0.6, dot(d, at)); }
vec3 room(vec3 d, float rough) {
  float blur = mix(0.02, 0.9, rough);
  float c = cos(turn), s = sin(turn);
  d = vec3(c * d.x - s * d.z, d.y, s * d.x + c * d.z);
  vec3 base = mix(vec3(0.08, 0.08, 0.088), vec3(0.34, 0.35, 0.375), smoothstep(-0.9, 0.9, d.y));
  float weaker = mix(1.0, 0.35, rough);
  base += vec3(2.0, 1.93, 1.82) * weaker * box_light(d, normalize(vec3(-0.7, 0.6, 0.5)), 0.86, blur);
  base += vec3(0.8, 0.9, 1.1) * weaker * box_light(d, normalize(vec3(0.9, 0.15, 0.35)), 0.9, blur);
  return base;
}
vec3 encode(vec3 v) { return mix(1.055 * pow(max(v, 0.0), vec3(1.0 / 2.4)) - 0.055, v * 12.92, lessThanEqual(v, vec3(0.0031308))); }
void main() {
  Surface surface = evaluate(v_uv);
  vec3 n = normalize(mat3(normalize(v_along), normalize(v_up), normalize(v_normal)) * surface.normal);
  vec3 v = normalize(cameraPosition - v_at);
  if (!gl_FrontFacing) n = -n;
  float rough = clamp(surface.roughness, 0.03, 1.0);
  float metal = clamp(surface.metallic, 0.0, 1.0);
  vec3 base = max(surface.base_colour, 0.0);
  vec3 f0 = mix(vec3(0.04), base, metal);
  vec3 diffuse = base * (1.0 - metal);
  float nv = max(dot(n, v), 1e-3);
  float c = cos(turn), s = sin(turn);
  vec3 key = normalize(vec3(-0.55, 0.65, 0.6));
  vec3 l = vec3(c * key.x + s * key.z, key.y, -s * key.x + c * key.z);
  vec3 h = normalize(l + v);
  float nl = max(dot(n, l), 0.0), nh = max(dot(n, h), 0.0), a = rough * rough, a2 = a * a;
  float spread_ = a2 / (3.14159265 * pow(nh * nh * (a2 - 1.0) + 1.0, 2.0));
  float shade = 0.5 / max(nl * sqrt(nv * nv * (1.0 - a2) + a2) + nv * sqrt(nl * nl * (1.0 - a2) + a2), 1e-4);
  vec3 fresnel = f0 + (1.0 - f0) * pow(1.0 - max(dot(h, v), 0.0), 5.0);
  vec3 light = (diffuse / 3.14159265 + fresnel * spread_ * shade) * nl * vec3(2.3, 2.24, 2.15);
  vec4 r = rough * vec4(-1.0, -0.0275, -0.572, 0.022) + vec4(1.0, 0.0425, 1.04, -0.04);
  float bend = min(r.x * r.x, exp2(-9.28 * nv)) * r.x + r.y;
  vec3 glossy = room(reflect(-v, n), rough) * (f0 * (bend * -1.04 + r.z) + (bend * 1.04 + r.w));
  light += (diffuse * room(n, 1.0) + glossy) * surface.occlusion;
  light += surface.emissive;
  // Straight up to middle tones, a shoulder above, so that colours are judged as they are.
  light = mix(light, 0.6 + (1.0 - exp(-(light - 0.6) / 0.4)) * 0.4, step(vec3(0.6), light));
  vec2 square = floor(gl_FragCoord.xy / 12.0);
  vec3 behind = vec3(mod(square.x + square.y, 2.0) < 0.5 ? 0.22 : 0.16);
  shown = vec4(encode(mix(behind, light, clamp(surface.opacity, 0.0, 1.0))), 1.0);
}`;

/** Pixels of a picture's parts; a multiple of the pattern behind what is clear. */
const PART = 1536;

/** A stage on a canvas. Values go to the GPU when the next frame is drawn, without a word to the server. */
export class Stage {
  private readonly renderer: THREE.WebGLRenderer;
  private readonly scene = new THREE.Scene();
  private readonly camera = new THREE.PerspectiveCamera(30, 1, 0.1, 20);
  private readonly controls: OrbitControls;
  private material: THREE.RawShaderMaterial | null = null;
  private mesh: THREE.Mesh | null = null;
  /** What lies on the GPU for the set that is dressed now. */
  private held: WebGLTexture[] = [];
  private frame = 0;
  private last = 0;
  /** Radians a second by which the light turns by itself. */
  turning = 0;
  turn = 0;

  constructor(private readonly canvas: HTMLCanvasElement) {
    this.renderer = new THREE.WebGLRenderer({ canvas, antialias: true, preserveDrawingBuffer: true });
    // The shader writes display values itself.
    this.renderer.outputColorSpace = THREE.LinearSRGBColorSpace;
    this.renderer.setClearColor(
      new THREE.Color(0x777777 / 0xffffff).setRGB(0x77 / 255, 0x77 / 255, 0x77 / 255),
      1,
    );
    this.camera.position.set(0, 0.35, 4.4);
    this.controls = new OrbitControls(this.camera, canvas);
    this.controls.enablePan = false;
    this.controls.minDistance = 1.3;
    this.controls.maxDistance = 9;
    this.controls.addEventListener('change', () => this.draw());
  }

  /** Load a variant's textures and compile its shader. Throws an Error that says what this browser cannot do. */
  async dress(view: VariantView): Promise<void> {
    const gl = this.renderer.getContext() as WebGL2RenderingContext;
    const textures = await Promise.all(
      view.outputs.map(async (output) => {
        const source = await fetchDds(ddsUrl(view.set_id, output.output, output.sha256));
        return [output.output, source] as const;
      }),
    );
    const uniforms: Record<string, THREE.IUniform> = {
      turn: { value: 0 },
      spread: { value: new THREE.Vector2(1, 1) },
    };
    const before = this.held;
    this.held = [];
    for (const [key, source] of textures) {
      const held = upload(gl, source);
      this.held.push(held);
      const texture = new THREE.ExternalTexture(held);
      const sampler = view.shader.samplers.find((entry) => entry.output === key);
      if (sampler) uniforms[sampler.name] = { value: texture };
    }
    this.renderer.resetState();
    for (const uniform of view.shader.uniforms) uniforms[uniform.name] = { value: 0 };
    const declared = 'precision highp float;\nprecision highp sampler2D;\nuniform vec3 cameraPosition;\n';
    const transforms =
      'uniform mat4 modelMatrix, viewMatrix, projectionMatrix;\nin vec3 position, normal;\nin vec2 uv;\n';
    this.material?.dispose();
    // They are ours and not the library's: nobody else frees them.
    for (const old of before) gl.deleteTexture(old);
    this.material = new THREE.RawShaderMaterial({
      glslVersion: THREE.GLSL3,
      vertexShader: declared + transforms + VERTEX,
      fragmentShader: declared + view.shader.glsl + LIGHT,
      uniforms,
      side: THREE.DoubleSide,
    });
    if (this.mesh) this.mesh.material = this.material;
  }

  shape(shape: Shape): void {
    const geometry =
      shape === 'sphere'
        ? new THREE.SphereGeometry(1, 128, 96)
        : shape === 'plane'
          ? new THREE.PlaneGeometry(1.9, 1.9, 1, 1)
          : new THREE.BoxGeometry(1.3, 1.3, 1.3);
    geometry.computeTangents();
    this.mesh?.geometry.dispose();
    if (this.mesh) this.scene.remove(this.mesh);
    this.mesh = new THREE.Mesh(geometry, this.material ?? undefined);
    if (shape === 'cube') this.mesh.rotation.set(0.35, 0.7, 0);
    // A sphere is twice as far around as from pole to pole.
    this.spread = shape === 'sphere' ? 2 : 1;
    this.scene.add(this.mesh);
    this.draw();
  }
  private spread = 1;

  /** Take a variant's values. */
  set(view: VariantView, values: Values): void {
    if (!this.material) return;
    for (const uniform of view.shader.uniforms) {
      const value = values[uniform.parameter];
      const target = this.material.uniforms[uniform.name];
      if (target) target.value = Array.isArray(value) ? new THREE.Vector3().fromArray(value) : value;
    }
    this.draw();
  }

  resize(): void {
    const { clientWidth, clientHeight } = this.canvas;
    this.renderer.setPixelRatio(window.devicePixelRatio);
    this.renderer.setSize(clientWidth, clientHeight, false);
    this.camera.aspect = clientWidth / Math.max(1, clientHeight);
    this.camera.updateProjectionMatrix();
    this.draw();
  }

  /** Ask for the next frame; many asks are one frame. */
  draw(): void {
    if (this.frame) return;
    this.frame = requestAnimationFrame((now) => {
      this.frame = 0;
      const passed = this.turning && this.last ? Math.min(0.1, (now - this.last) / 1000) : 0;
      this.last = now;
      this.turn += passed * this.turning;
      if (this.material) {
        const { turn, spread } = this.material.uniforms;
        if (turn) turn.value = this.turn;
        if (spread) (spread.value as THREE.Vector2).set(this.spread, 1);
        this.renderer.render(this.scene, this.camera);
      }
      if (this.turning) this.draw();
    });
  }

  /** Turn by a key; whether it was one that turns. */
  key(key: string): boolean {
    return orbitByKey(this.camera, this.controls, key) && (this.draw(), true);
  }

  /** The stage as a PNG, as it stands, so many pixels wide; it is drawn in parts, so that no size is too large for the GPU. */
  async picture(width: number): Promise<Blob | null> {
    const height = Math.max(1, Math.round(width / this.camera.aspect));
    const paper = document.createElement('canvas');
    [paper.width, paper.height] = [width, height];
    const ink = paper.getContext('2d');
    if (!ink) return null;
    this.renderer.setPixelRatio(1);
    for (let y = 0; y < height; y += PART) {
      for (let x = 0; x < width; x += PART) {
        const [wide, high] = [Math.min(PART, width - x), Math.min(PART, height - y)];
        this.renderer.setSize(wide, high, false);
        this.camera.setViewOffset(width, height, x, y, wide, high);
        this.renderer.render(this.scene, this.camera);
        ink.drawImage(this.canvas, x, y);
      }
    }
    this.camera.clearViewOffset();
    this.resize();
    return new Promise((resolve) => paper.toBlob(resolve, 'image/png'));
  }

  end(): void {
    cancelAnimationFrame(this.frame);
    this.turning = 0;
    this.controls.dispose();
    this.material?.dispose();
    this.mesh?.geometry.dispose();
    this.renderer.dispose();
    this.renderer.forceContextLoss();
  }
}
