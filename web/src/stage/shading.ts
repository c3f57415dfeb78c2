// The material of the stage: three's physically based one, with a master's own GLSL in the place of its maps. Nothing here lights
// anything; what light does is three's.
import * as THREE from 'three';

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
] as const;
export type Part = (typeof PARTS)[number];

/** How maps are read: as meant, or wrongly on purpose. */
export const READINGS = ['as meant', 'as if sRGB', 'as if −Y', 'roughness and metallic swapped'] as const;
export type Reading = (typeof READINGS)[number];

export interface Opacity {
  mode: 'solid' | 'cut-out' | 'blended';
  threshold: number;
}

export interface Shading {
  material: THREE.MeshPhysicalMaterial;
  uniforms: Record<string, THREE.IUniform>;
}

const VERTEX = `
varying vec2 v_place;
varying vec3 v_world;
uniform vec2 repeats;
`;
/* Data maps are read by DATA_AT, so that they can be read wrongly on purpose. sRGB: IEC 61966-2-1. */
const BEFORE = `
varying vec2 v_place;
varying vec3 v_world;
uniform int shown_part, reading;
uniform vec2 texels;
uniform float wished;
vec3 read_as_srgb(vec3 v) { return mix(pow((v + 0.055) / 1.055, vec3(2.4)), v / 12.92, vec3(lessThanEqual(v, vec3(0.04045)))); }
vec4 data_at(sampler2D source, vec2 place) {
  vec4 stored = texture(source, place);
  return reading == 1 ? vec4(read_as_srgb(stored.rgb), stored.a) : stored;
}
#define DATA_AT(source, place) data_at(source, place)
`;
const AFTER = `
Surface staged() {
  Surface found = evaluate(v_place);
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

/** One flat texel: it has three bring tangents into the shader, and is never read. */
const FLAT = new THREE.DataTexture(new Uint8Array([128, 128, 255, 255]), 1, 1);
FLAT.needsUpdate = true;

/** The stage's material for a shader of `texelcore.materials.shader`, with its uniforms by name. */
export function shadingOf(glsl: string, opacity: Opacity): Shading {
  const uniforms: Record<string, THREE.IUniform> = {
    shown_part: { value: 0 },
    reading: { value: 0 },
    texels: { value: new THREE.Vector2(1024, 1024) },
    wished: { value: 512 },
    repeats: { value: new THREE.Vector2(1, 1) },
  };
  const material = new THREE.MeshPhysicalMaterial({
    side: THREE.DoubleSide,
    normalMap: FLAT,
    transparent: opacity.mode === 'blended',
    alphaTest: opacity.mode === 'cut-out' ? opacity.threshold : 0,
  });
  // Both sides of what is seen through, the far one first.
  material.forceSinglePass = false;
  material.shadowSide = THREE.DoubleSide;
  material.onBeforeCompile = (shader) => {
    Object.assign(shader.uniforms, uniforms);
    shader.vertexShader = shader.vertexShader
      .replace('#include <common>', `#include <common>${VERTEX}`)
      .replace(
        '#include <project_vertex>',
        '#include <project_vertex>\nv_place = uv * repeats;\nv_world = (modelMatrix * vec4(transformed, 1.0)).xyz;',
      );
    shader.fragmentShader = shader.fragmentShader
      .replace('void main() {', `${BEFORE}${glsl}${AFTER}\nvoid main() {`)
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
  material.customProgramCacheKey = () => glsl;
  return { material, uniforms };
}
