// What a master may ask of the mesh, the world and the clock beside its texture coordinate, and what it gives beyond the usual
// surface: glTF's clear coat, sheen, specular, index of refraction and anisotropy, put into three's own light.
import * as THREE from 'three';

/** Where each mesh input comes from, as the core names them; `varying` is what the vertex shader hands over for it. */
const INPUTS: Record<string, { value: string; varying?: string; lit?: boolean }> = {
  'second uv': { value: 'v_second', varying: 'vec2 v_second' },
  'vertex colour': { value: 'v_paint.rgb' },
  'vertex alpha': { value: 'v_paint.a' },
  'world position': { value: 'v_world' },
  'world normal': {
    value: 'normalize((vec4(normalize(vNormal), 0.0) * viewMatrix).xyz)',
    lit: true,
  },
  'object position': { value: 'v_object', varying: 'vec3 v_object' },
  'view direction': { value: 'towards_eye()', lit: true },
  'eye distance': { value: 'length(vViewPosition)', lit: true },
  time: { value: 'seconds' },
};
const TOWARDS_EYE = `vec3 towards_eye() {
  vec3 eye = normalize(vViewPosition), up = normalize(vNormal) * (gl_FrontFacing ? 1.0 : -1.0);
  return normalize(vec3(dot(eye, normalize(vTangent)), dot(eye, normalize(vBitangent)), max(dot(eye, up), 1e-3)));
}
`;
const word = (name: string) => name.replaceAll(' ', '_');

/** What both shaders declare for the mesh inputs that are used. */
export function varyings(mesh: readonly string[]): string {
  return mesh
    .map((name) => INPUTS[name]?.varying)
    .filter(Boolean)
    .map((text) => `varying ${text};\n`)
    .join('');
}

/** What the vertex shader declares and does for them. */
export function handedOver(mesh: readonly string[]): { head: string; body: string } {
  const second = mesh.includes('second uv');
  return {
    head: `${varyings(mesh)}${second ? 'attribute vec2 uv1;\nuniform bool has_second;\n' : ''}`,
    body: [
      second ? '\nv_second = has_second ? uv1 : uv * repeats;' : '',
      mesh.includes('object position') ? '\nv_object = position;' : '',
    ].join(''),
  };
}

/** A function that sets them; where nothing is lit, what depends on the eye stays what it is without one. */
export function meshSetter(mesh: readonly string[], lit: boolean): string {
  const used = mesh.filter((name) => INPUTS[name] && (lit || !INPUTS[name].lit));
  const eye = used.includes('view direction') ? TOWARDS_EYE : '';
  const lines = used.map((name) => `  m_${word(name)} = ${INPUTS[name]?.value ?? ''};`);
  return `${mesh.includes('time') ? 'uniform float seconds;\n' : ''}${eye}void set_mesh() {\n${lines.join('\n')}\n}\n`;
}

/** The uniforms that they need. */
export function meshUniforms(): Record<string, THREE.IUniform> {
  return { seconds: { value: 0 }, has_second: { value: false }, painted: { value: false } };
}

/** Switch on in three's material what a master gives of glTF's extensions. */
export function extend(material: THREE.MeshPhysicalMaterial, extended: readonly string[]): void {
  const has = (key: string) => extended.includes(key);
  if (has('clear_coat')) material.clearcoat = 1;
  if (has('sheen_colour')) material.sheen = 1;
  if (has('anisotropy')) material.anisotropy = 1;
}

/** What goes behind three's own reading of its material: each place has its own values. */
export function extensionText(extended: readonly string[]): string {
  const has = (key: string) => extended.includes(key);
  const or = (key: string, otherwise: string) => (has(key) ? `surface.${key}` : otherwise);
  const lines: string[] = [];
  if (has('clear_coat')) {
    lines.push(
      'material.clearcoat = saturate(surface.clear_coat);',
      `material.clearcoatRoughness = min(max(${or('clear_coat_roughness', '0.0')}, 0.045) + geometryRoughness, 1.0);`,
    );
  }
  if (has('sheen_colour')) {
    lines.push(
      'material.sheenColor = max(surface.sheen_colour, 0.0);',
      `material.sheenRoughness = clamp(${or('sheen_roughness', '0.0')}, 0.07, 1.0);`,
    );
  }
  if (has('specular_level') || has('index_of_refraction')) {
    lines.push(
      `float index_here = max(${or('index_of_refraction', '1.5')}, 1.0), level_here = clamp(${or('specular_level', '1.0')}, 0.0, 1.0);`,
      'material.specularColor = min(vec3(pow2((index_here - 1.0) / (index_here + 1.0))), vec3(1.0)) * level_here;',
      'material.specularColorBlended = mix(material.specularColor, diffuseColor.rgb, metalnessFactor);',
      'material.specularF90 = mix(level_here, 1.0, metalnessFactor);',
    );
  }
  if (has('anisotropy')) {
    lines.push(
      'material.anisotropy = saturate(surface.anisotropy);',
      `float grain = ${or('anisotropy_rotation', '0.0')} * 6.2831853;`,
      'material.alphaT = mix(pow2(material.roughness), 1.0, pow2(material.anisotropy));',
      'material.anisotropyT = tbn[0] * cos(grain) + tbn[1] * sin(grain);',
      'material.anisotropyB = tbn[1] * cos(grain) - tbn[0] * sin(grain);',
    );
  }
  return lines.join('\n');
}

/** How wide the border between two stripes of paint is, where a stripe is 1; as the core paints what nobody has painted. */
const BORDER = 0.3;

/** Paint a geometry in four stripes across the picture, unpainted, red, green and blue, so that every layer is seen. */
export function paintStripes(geometry: THREE.BufferGeometry): void {
  const uv = geometry.getAttribute('uv');
  const paint = new Float32Array(uv.count * 4);
  for (let at = 0; at < uv.count; at++) {
    const across = uv.getX(at) * 4;
    const [first, second, third] = [1, 2, 3].map((edge) =>
      Math.min(1, Math.max(0, (across - edge) / BORDER + 0.5)),
    ) as [number, number, number];
    paint.set([first - second, second - third, third, 0], at * 4);
  }
  geometry.setAttribute('paint', new THREE.BufferAttribute(paint, 4));
}
