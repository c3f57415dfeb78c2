// From light to the screen: exposure, tone, what lies behind, and two pictures put together. What is drawn is light (linear, half
// floats, alpha for what covers); only here does it become what a screen shows.
import * as THREE from 'three';

export const TOGETHER = ['one', 'beside', 'wipe', 'difference'] as const;
export type Together = (typeof TOGETHER)[number];
export const BEHIND = ['well', 'squares', 'nothing'] as const;
export type Behind = (typeof BEHIND)[number];

export interface Showing {
  together: Together;
  /** Where one is shown alone: whether it is the second. */
  swapped: boolean;
  /** Where the wipe stands, as a share of the width. */
  wipe: number;
  factor: number;
  /** In stops. */
  exposure: number;
  toned: boolean;
  behind: Behind;
  /** Whether each picture shows a property and no light: neither exposed nor toned then. */
  plain: [boolean, boolean];
  /** Side of a square behind what is clear, in pixels of the picture. */
  square: number;
}

const VERTEX = `
in vec3 position;
out vec2 place;
void main() { place = position.xy * 0.5 + 0.5; gl_Position = vec4(position.xy, 0.0, 1.0); }`;
/* Neutral tone mapping: the Khronos PBR Neutral tone mapper, as published. The screen's encoding: IEC 61966-2-1. */
const FRAGMENT = `
precision highp float;
uniform sampler2D first, second;
uniform int together, behind;
uniform float wipe, factor, gain, square;
uniform bool toned;
uniform bvec2 plain;
uniform vec2 size;
in vec2 place;
out vec4 shown;
vec3 neutral(vec3 v) {
  float start = 0.8 - 0.04;
  float least = min(v.r, min(v.g, v.b));
  v -= least < 0.08 ? least - 6.25 * least * least : 0.04;
  float peak = max(v.r, max(v.g, v.b));
  if (peak < start) return v;
  float room = 1.0 - start, lower = 1.0 - room * room / (peak + room - start);
  return mix(v * lower / peak, vec3(lower), 1.0 - 1.0 / (0.15 * (peak - lower) + 1.0));
}
vec3 encoded(vec3 v) { return mix(1.055 * pow(v, vec3(1.0 / 2.4)) - 0.055, v * 12.92, vec3(lessThanEqual(v, vec3(0.0031308)))); }
vec3 decoded(vec3 v) { return mix(pow((v + 0.055) / 1.055, vec3(2.4)), v / 12.92, vec3(lessThanEqual(v, vec3(0.04045)))); }
vec4 seen(sampler2D light, vec2 at, bool is_plain) {
  vec4 v = texture(light, at);
  // Most of a picture is nothing but what lies behind: without a GPU that is the larger part of this work.
  if (v.a == 0.0) return vec4(0.0);
  vec3 c = v.rgb / v.a;
  if (!is_plain) { c *= gain; if (toned) c = neutral(c); }
  return vec4(clamp(c, 0.0, 1.0), clamp(v.a, 0.0, 1.0));
}
vec4 laid(vec4 v) {
  // A canvas holds colours times their coverage.
  if (behind == 2) return vec4(encoded(v.rgb) * v.a, v.a);
  vec3 ground = vec3(119.0 / 255.0);
  if (behind == 1) {
    vec2 at = floor(place * size / square);
    ground = vec3(mod(at.x + at.y, 2.0) < 0.5 ? 0.53 : 0.4);
  }
  if (v.a == 0.0) return vec4(ground, 1.0);
  if (v.a == 1.0) return vec4(encoded(v.rgb), 1.0);
  return vec4(encoded(mix(decoded(ground), v.rgb, v.a)), 1.0);
}
void main() {
#ifdef PAIR
  if (together == 1) {
    bool right = place.x > 0.5;
    shown = right ? laid(seen(second, vec2(place.x * 2.0 - 1.0, place.y), plain.y)) : laid(seen(first, vec2(place.x * 2.0, place.y), plain.x));
    if (abs(place.x - 0.5) * size.x < 1.0) shown = vec4(0.11, 0.14, 0.19, 1.0);
    return;
  }
#endif
  vec4 a = laid(seen(first, place, plain.x));
#ifdef PAIR
  if (together == 0) { shown = a; return; }
  vec4 b = laid(seen(second, place, plain.y));
  if (together == 2) {
    shown = place.x > wipe ? b : a;
    if (abs(place.x - wipe) * size.x < 0.75) shown = vec4(1.0);
    return;
  }
  shown = vec4(clamp(abs(a.rgb - b.rgb) * factor, 0.0, 1.0), 1.0);
#else
  shown = a;
#endif
}`;

/** Lays one or two pictures of light on the screen. */
export class Output {
  private readonly camera = new THREE.OrthographicCamera(-1, 1, 1, -1, 0, 1);
  private readonly scene = new THREE.Scene();
  private readonly uniforms: Record<string, THREE.IUniform>;
  /** For one picture, and for two: without a GPU every branch that might be taken costs. */
  private readonly one: THREE.RawShaderMaterial;
  private readonly pair: THREE.RawShaderMaterial;
  private readonly mesh: THREE.Mesh<THREE.BufferGeometry, THREE.RawShaderMaterial>;
  private readonly cover: THREE.BufferGeometry;

  constructor(private readonly renderer: THREE.WebGLRenderer) {
    const value = (start: unknown): THREE.IUniform => ({ value: start });
    this.uniforms = {
      first: value(null),
      second: value(null),
      together: value(0),
      behind: value(0),
      wipe: value(0.5),
      factor: value(1),
      gain: value(1),
      square: value(12),
      toned: value(true),
      plain: value([false, false]),
      size: value(new THREE.Vector2(1, 1)),
    };
    const material = (defines: Record<string, number>) =>
      new THREE.RawShaderMaterial({
        glslVersion: THREE.GLSL3,
        vertexShader: VERTEX,
        fragmentShader: FRAGMENT,
        depthTest: false,
        depthWrite: false,
        blending: THREE.NoBlending,
        defines,
        uniforms: this.uniforms,
      });
    this.one = material({});
    this.pair = material({ PAIR: 1 });
    this.cover = new THREE.BufferGeometry();
    this.cover.setAttribute('position', new THREE.Float32BufferAttribute([-1, -1, 0, 3, -1, 0, -1, 3, 0], 3));
    this.mesh = new THREE.Mesh(this.cover, this.one);
    this.mesh.frustumCulled = false;
    this.scene.add(this.mesh);
  }

  draw(first: THREE.Texture, second: THREE.Texture | null, showing: Showing): void {
    const put = (name: string, value: unknown) => {
      const uniform = this.uniforms[name];
      if (uniform) uniform.value = value;
    };
    put('first', first);
    put('second', second ?? first);
    put('together', second ? TOGETHER.indexOf(showing.together) : 0);
    put('behind', BEHIND.indexOf(showing.behind));
    put('wipe', showing.wipe);
    put('factor', showing.factor);
    put('gain', 2 ** showing.exposure);
    put('square', showing.square);
    put('toned', showing.toned);
    put('plain', showing.plain);
    this.mesh.material = second && showing.together !== 'one' ? this.pair : this.one;
    this.renderer.getDrawingBufferSize(this.uniforms.size?.value as THREE.Vector2);
    this.renderer.setRenderTarget(null);
    this.renderer.render(this.scene, this.camera);
  }

  dispose(): void {
    this.one.dispose();
    this.pair.dispose();
    this.cover.dispose();
  }
}
