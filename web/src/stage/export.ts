// A model with what was painted on it as a GLB file of its own: each part a mesh of its name, COLOR_0 (glTF 2.0) where it is painted,
// in its own size and place, with the materials and textures that its file brought.
import * as THREE from 'three';

import type { Model } from './model';
import { paintOf } from './painting';

/** What of a part is written, and how three calls it. */
const WRITTEN = ['position', 'normal', 'tangent', 'uv', 'uv1'] as const;

/** A model as GLB: all of its parts; or one of them, as geometry and paint alone. */
export async function glbOf(model: Model, only: number | null = null): Promise<Blob> {
  const { GLTFExporter } = await import('three/examples/jsm/exporters/GLTFExporter.js');
  const scene = new THREE.Scene();
  const materials = new Map<string | THREE.Material, THREE.Material>();
  for (const part of only === null ? model.parts : model.parts.slice(only, only + 1)) {
    const own = only === null ? part.own : null;
    const material = materials.get(own ?? part.material) ?? own?.clone() ?? new THREE.MeshStandardMaterial();
    material.name = part.material;
    materials.set(own ?? part.material, material);
    const mesh = new THREE.Mesh(written(part.geometry, model), material);
    mesh.name = part.name;
    scene.add(mesh);
  }
  const made = await new GLTFExporter().parseAsync(scene, { binary: true, onlyVisible: false });
  return new Blob([made as ArrayBuffer], { type: 'model/gltf-binary' });
}

/** A part's geometry as its file had it: the stage shows all models in one size, in the middle. */
function written(geometry: THREE.BufferGeometry, { middle, scale }: Model): THREE.BufferGeometry {
  const made = new THREE.BufferGeometry();
  for (const name of WRITTEN) {
    const attribute = geometry.getAttribute(name);
    if (attribute) made.setAttribute(name, attribute.clone());
  }
  if (geometry.index) made.setIndex(geometry.index.clone());
  // What nobody painted has none: glTF multiplies it into the base colour, and 0 would be black.
  if (geometry.hasAttribute('paint')) made.setAttribute('color', paintOf(geometry).clone());
  const place = made.getAttribute('position');
  for (let at = 0; at < place.count; at++)
    place.setXYZ(
      at,
      place.getX(at) / scale + middle[0],
      place.getY(at) / scale + middle[1],
      place.getZ(at) / scale + middle[2],
    );
  return made;
}
