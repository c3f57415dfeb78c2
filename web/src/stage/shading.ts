// The material of the stage: three's physically based one, with a master's own GLSL in the place of its maps. Nothing here lights
// anything; what light does is three's.
import * as THREE from 'three';

import type { components } from '@/api/schema.generated';

import { extend, extensionText, handedOver, meshSetter, meshUniforms, varyings } from './mesh';

/** What of a surface is shown: lit, or one thing about it alone. */
export const PARTS = [
  'lit',
  'base colour',
  'normal',
  'roughness',
  'metallic',
  'occlusion',
  'emissive',
  'opacity',
  'texture coordinates',
  'texel density',
  'mip level',
  'vertex colour',
  'material',
  'overdraw',
  'row',
] as const;
export type Part = (typeof PARTS)[number];

/** How maps are read: as meant, or wrongly on purpose. */
export const READINGS = ['as meant', 'as if sRGB', 'as if −Y', 'roughness and metallic swapped'] as const;
export type Reading = (typeof READINGS)[number];

export interface Opacity {
  mode: 'solid' | 'cut-out' | 'blended';
  threshold: number;
  two_sided?: boolean;
}

export type HeightUse = components['schemas']['HeightUse'];

/** How a height is shown: not at all, by moving where maps are read, or by moving points. */
export const RELIEFS = ['flat', 'parallax', 'displaced'] as const;
export type Relief = (typeof RELIEFS)[number];

/** What a material is made of. */
export interface Made {
  glsl: string;
  samplers: readonly { name: string }[];
  /** What it asks of the mesh, what it gives of glTF's extensions, and the strands that it can show. */
  mesh: readonly string[];
  extended: readonly string[];
  rows: readonly string[];
  opacity: Opacity;
  height: HeightUse | null;
  /** Whether it has a normal of its own; without one, a height that is shown gives it. */
  bent: boolean;
}

export interface Shading {
  material: THREE.MeshPhysicalMaterial;
  /** What its shadow is drawn with: as cut, and as moved, as it is itself. */
  shadow: THREE.MeshDepthMaterial;
  uniforms: Record<string, THREE.IUniform>;
}

/* `depth` is a share of the picture's width, `span` that width in the shape's own measure. */
const RELIEF = `
uniform int relief;
uniform float depth, mid_level;
`;
const VERTEX = `
varying vec2 v_place;
varying vec3 v_world;
varying vec4 v_paint;
attribute vec4 paint;
uniform bool painted;
uniform vec2 repeats;
uniform float span, height_level;
${RELIEF}
`;
/* Data maps are read by DATA_AT, so that they can be read wrongly on purpose. sRGB: IEC 61966-2-1. */
const BEFORE = `
varying vec2 v_place;
varying vec3 v_world;
varying vec4 v_paint;
uniform int shown_part, reading;
uniform vec2 row_range;
uniform vec2 texels;
uniform vec3 material_colour;
uniform float wished;
${RELIEF}
vec3 read_as_srgb(vec3 v) { return mix(pow((v + 0.055) / 1.055, vec3(2.4)), v / 12.92, vec3(lessThanEqual(v, vec3(0.04045)))); }
vec4 data_at(sampler2D source, vec2 place) {
  vec4 stored = texture(source, place);
  return reading == 1 ? vec4(read_as_srgb(stored.rgb), stored.a) : stored;
}
#define DATA_AT(source, place) data_at(source, place)
`;
/* Where the eye's ray meets the height: steps downwards, then between the last two as on a straight line. Common practice (relief
   mapping by linear search). */
const SUNK = `
float seen_level() {
  vec2 size = vec2(textureSize(HEIGHT_MAP, 0)), along = dFdx(v_place) * size, down = dFdy(v_place) * size;
  return max(0.0, 0.5 * log2(max(dot(along, along), dot(down, down))));
}
vec2 sunk(vec2 place) {
  float level = seen_level();
  if (relief != 1) return place;
  float facing = gl_FrontFacing ? 1.0 : -1.0;
  vec3 eye = normalize(vViewPosition);
  float up = max(dot(eye, normalize(vNormal) * facing), 0.12);
  // v runs down the picture, the bitangent up.
  vec2 slope = facing * vec2(dot(eye, normalize(vTangent)), -dot(eye, normalize(vBitangent))) / up * depth;
  const int STEPS = 40;
  float high = 1.0, fall = 1.0 / float(STEPS);
  vec2 at = place + slope * (1.0 - mid_level);
  float gap = high - read_height(at, level);
  for (int step_number = 0; step_number < STEPS; step_number++) {
    float lower = high - fall;
    vec2 next = place + slope * (lower - mid_level);
    float below = lower - read_height(next, level);
    if (below <= 0.0) return mix(at, next, gap / max(gap - below, 1e-6));
    high = lower; at = next; gap = below;
  }
  return at;
}
vec3 bent_by_height(vec2 place) {
  float level = seen_level();
  vec2 one = exp2(level) / vec2(textureSize(HEIGHT_MAP, 0));
  float across = read_height(place + vec2(one.x, 0.0), level) - read_height(place - vec2(one.x, 0.0), level);
  float down = read_height(place + vec2(0.0, one.y), level) - read_height(place - vec2(0.0, one.y), level);
  return normalize(vec3(-across / one.x, down / one.y, 2.0 / max(depth, 1e-4)));
}
`;
const AFTER = `
Surface staged() {
  set_mesh();
  vec2 place = SUNK(v_place);
  Surface found = evaluate(place);
  BENT(found, place)
  if (reading == 2) found.normal.y = -found.normal.y;
  if (reading == 3) { float kept = found.roughness; found.roughness = found.metallic; found.metallic = kept; }
  return found;
}
vec3 as_number(float value) { return read_as_srgb(vec3(clamp(value, 0.0, 1.0))); }
vec3 level_colour(float level) {
  vec3 hues[6] = vec3[6](vec3(0.66, 0.2, 0.18), vec3(0.66, 0.42, 0.07), vec3(0.5, 0.58, 0.16), vec3(0.18, 0.45, 0.4), vec3(0.2, 0.36, 0.6), vec3(0.42, 0.27, 0.55));
  int below = int(clamp(floor(level), 0.0, 5.0));
  return read_as_srgb(mix(hues[below], hues[min(below + 1, 5)], clamp(level - float(below), 0.0, 1.0)));
}
vec3 row_colour(Surface found) { return ROW(found); }
vec3 part_colour(Surface found) {
  if (shown_part == 1) return found.base_colour;
  if (shown_part == 2) return read_as_srgb(found.normal * 0.5 + 0.5);
  if (shown_part == 3) return as_number(found.roughness);
  if (shown_part == 4) return as_number(found.metallic);
  if (shown_part == 5) return as_number(found.occlusion);
  if (shown_part == 6) return found.emissive;
  if (shown_part == 7) return as_number(found.opacity);
  if (shown_part == 8) {
    // Squares of an eighth of the picture; each tile of the layout has its own tint, and its upper left corner is marked.
    vec2 square = floor(v_place * 8.0), tile = floor(v_place), inside = fract(v_place);
    float light = mod(square.x + square.y, 2.0) < 0.5 ? 0.62 : 0.4;
    vec3 tint = 0.5 + 0.18 * cos(vec3(0.0, 2.1, 4.2) + tile.x * 1.7 + tile.y * 2.9);
    vec3 ramp = mix(tint, vec3(inside.x, 0.5, 1.0 - inside.y), 0.35);
    if (inside.x < 0.125 && inside.y < 0.125) ramp = vec3(0.66, 0.2, 0.18);
    return read_as_srgb(ramp * light * 1.6);
  }
  if (shown_part == 14) return row_colour(found);
  if (shown_part == 11) return read_as_srgb(clamp(v_paint.rgb, 0.0, 1.0));
  if (shown_part == 12) return read_as_srgb(material_colour);
  vec2 along = dFdx(v_place), down = dFdy(v_place);
  if (shown_part == 9) {
    vec3 right = dFdx(v_world), below = dFdy(v_world);
    float area = abs(along.x * down.y - along.y * down.x) * texels.x * texels.y;
    float density = sqrt(area / max(length(cross(right, below)), 1e-12));
    // Two doublings too few are wholly madder, two too many wholly blue; as wished is verdigris.
    float off = clamp(log2(max(density, 1e-6) / wished) / 2.0, -1.0, 1.0);
    vec3 right_one = vec3(0.18, 0.45, 0.4);
    return read_as_srgb(off < 0.0 ? mix(right_one, vec3(0.66, 0.2, 0.18), -off) : mix(right_one, vec3(0.2, 0.36, 0.75), off));
  }
  vec2 a = along * texels, b = down * texels;
  return level_colour(max(0.0, 0.5 * log2(max(dot(a, a), dot(b, b)))));
}
`;

/** Light from around, read further from the mirror's direction the rougher a surface is: as `texelcore.lighting.lit` measured it
 *  against sums over whole environments (TURNING). three's own fourth power leaves rough metals too dark. */
const REFLECTED = THREE.ShaderChunk.envmap_physical_pars_fragment.replaceAll(
  'pow4( roughness )',
  'pow2( roughness )',
);
/** One flat texel: it has three bring tangents into the shader, and is never read. */
const FLAT = new THREE.DataTexture(new Uint8Array([128, 128, 255, 255]), 1, 1);
FLAT.needsUpdate = true;

/** The stage's material for a shader of `texelcore.materials.shader`, with its uniforms by name. */
export function shadingOf(made: Made): Shading {
  const { glsl, opacity } = made;
  const uniforms: Record<string, THREE.IUniform> = {
    shown_part: { value: 0 },
    reading: { value: 0 },
    texels: { value: new THREE.Vector2(1024, 1024) },
    wished: { value: 512 },
    repeats: { value: new THREE.Vector2(1, 1) },
    material_colour: { value: new THREE.Color(0x808080) },
    relief: { value: 0 },
    depth: { value: 0.04 },
    mid_level: { value: 0.5 },
    height_level: { value: 0 },
    span: { value: 1 },
    shown_row: { value: 0 },
    row_range: { value: new THREE.Vector2(0, 1) },
    ...meshUniforms(),
  };
  const material = new THREE.MeshPhysicalMaterial({
    side: THREE.DoubleSide,
    normalMap: FLAT,
    transparent: opacity.mode === 'blended',
    alphaTest: opacity.mode === 'cut-out' ? opacity.threshold : 0,
  });
  // What is seen through is drawn from far to near, triangle by triangle: once is enough.
  material.forceSinglePass = true;
  material.userData.twoSided = opacity.two_sided ?? true;
  material.shadowSide = THREE.DoubleSide;
  extend(material, made.extended);
  material.onBeforeCompile = (shader) => {
    Object.assign(shader.uniforms, uniforms);
    shader.vertexShader = placed(shader.vertexShader, made);
    shader.fragmentShader = shader.fragmentShader
      .replace('#include <envmap_physical_pars_fragment>', REFLECTED)
      .replace('void main() {', `${surfaceText(made)}\nvoid main() {`)
      .replace(
        '#include <map_fragment>',
        'Surface surface = staged();\ndiffuseColor.rgb = max(surface.base_colour, 0.0);\ndiffuseColor.a = clamp(surface.opacity, 0.0, 1.0);',
      )
      .replace(
        '#include <roughnessmap_fragment>',
        'float roughnessFactor = clamp(surface.roughness, 0.0, 1.0);',
      )
      .replace(
        '#include <metalnessmap_fragment>',
        'float metalnessFactor = clamp(surface.metallic, 0.0, 1.0);',
      )
      .replace(
        '#include <lights_physical_fragment>',
        `#include <lights_physical_fragment>\n${extensionText(made.extended)}`,
      )
      .replace('#include <normal_fragment_maps>', 'normal = normalize(tbn * surface.normal);')
      .replace('#include <emissivemap_fragment>', 'totalEmissiveRadiance = max(surface.emissive, 0.0);')
      .replace(
        '#include <aomap_fragment>',
        `float ambientOcclusion = clamp(surface.occlusion, 0.0, 1.0);
reflectedLight.indirectDiffuse *= ambientOcclusion;
reflectedLight.indirectSpecular *= computeSpecularOcclusion(saturate(dot(geometryNormal, geometryViewDir)), ambientOcclusion, material.roughness);`,
      )
      .replace(
        '#include <opaque_fragment>',
        '#include <opaque_fragment>\nif (shown_part > 0) gl_FragColor.rgb = part_colour(surface);',
      );
  };
  const key = `${glsl}\n${made.height?.glsl ?? ''}\n${made.bent}\n${made.extended.join()}`;
  material.customProgramCacheKey = () => key;
  return { material, shadow: shadowOf(made, uniforms, key), uniforms };
}

/** Half of what is blended, or what is cut, throws no shadow. */
function shadowOf(
  made: Made,
  uniforms: Record<string, THREE.IUniform>,
  key: string,
): THREE.MeshDepthMaterial {
  const material = new THREE.MeshDepthMaterial({ side: THREE.DoubleSide });
  const { mode, threshold } = made.opacity;
  material.onBeforeCompile = (shader) => {
    Object.assign(shader.uniforms, uniforms);
    shader.vertexShader = placed(shader.vertexShader, made);
    if (mode === 'solid') return;
    const cut = (mode === 'cut-out' ? threshold : 0.5).toFixed(6);
    // There is no eye here to look into a height.
    shader.fragmentShader = shader.fragmentShader
      .replace(
        'void main() {',
        `${BEFORE}${varyings(made.mesh)}${made.glsl}\n${meshSetter(made.mesh, false)}void main() {`,
      )
      .replace('#include <map_fragment>', `set_mesh();\nif (evaluate(v_place).opacity < ${cut}) discard;`);
  };
  material.customProgramCacheKey = () => `shadow ${mode} ${threshold} ${key}`;
  return material;
}

/** A vertex shader that tells where on the picture it is, and moves points by the height. */
function placed(text: string, { height, mesh }: Made): string {
  const handed = handedOver(mesh);
  const moved = height
    ? '\nif (relief == 2) transformed += normal * (read_height(uv * repeats, height_level) - mid_level) * depth * span;'
    : '';
  return text
    .replace(
      '#include <common>',
      `#include <common>${VERTEX}${handed.head}${height ? `uniform sampler2D ${height.sampler.name};\n${height.glsl}` : ''}`,
    )
    .replace('#include <begin_vertex>', `#include <begin_vertex>${moved}`)
    .replace(
      '#include <project_vertex>',
      `#include <project_vertex>\nv_place = uv * repeats;\nv_world = (modelMatrix * vec4(transformed, 1.0)).xyz;\nv_paint = painted ? paint : vec4(0.0);${handed.body}`,
    );
}

function surfaceText(made: Made): string {
  const { samplers, height, bent, mesh, rows } = made;
  const glsl = `${varyings(mesh)}${made.glsl}\n${meshSetter(mesh, true)}${rowText(rows)}`;
  if (!height) return `${BEFORE}${glsl}\n#define SUNK(place) place\n#define BENT(found, place)\n${AFTER}`;
  const { name } = height.sampler;
  const declared = samplers.some((entry) => entry.name === name) ? '' : `uniform sampler2D ${name};\n`;
  const lines = [
    BEFORE + glsl + declared + height.glsl,
    `#define HEIGHT_MAP ${name}`,
    SUNK,
    '#define SUNK(place) sunk(place)',
    bent
      ? '#define BENT(found, place)'
      : '#define BENT(found, place) if (relief > 0) found.normal = bent_by_height(place);',
    AFTER,
  ];
  return lines.join('\n');
}

/** How what one strand holds becomes a colour: as it is, or between the numbers that it is said to hold. */
function rowText(rows: readonly string[]): string {
  if (!rows.length) return '#define ROW(found) vec3(0.0)\n';
  return '#define ROW(found) read_as_srgb(clamp((found.row - row_range.x) / max(row_range.y - row_range.x, 1e-6), 0.0, 1.0))\n';
}

/** What a piece looks like that nobody dressed. */
export const BARE: Made = {
  glsl: `
struct Surface { vec3 base_colour; float opacity; vec3 normal; float roughness; float metallic; float occlusion; vec3 emissive; };
Surface evaluate(vec2 uv) {
  return Surface(vec3(0.32), 1.0, vec3(0.0, 0.0, 1.0), 0.8, 0.0, 1.0, vec3(0.0));
}`,
  samplers: [],
  mesh: [],
  extended: [],
  rows: [],
  opacity: { mode: 'solid', threshold: 0.5 },
  height: null,
  bent: true,
};
