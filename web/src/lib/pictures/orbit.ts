// Turning a camera about the middle by keys, as a drag does.
import * as THREE from 'three';
import type { OrbitControls } from 'three/examples/jsm/controls/OrbitControls.js';

const STEP = Math.PI / 24;

/** Turn by an arrow key, nearer and further by plus and minus; whether the key was one of these. */
export function orbitByKey(camera: THREE.Camera, controls: OrbitControls, key: string): boolean {
  const place = new THREE.Spherical().setFromVector3(camera.position.clone().sub(controls.target));
  const turns: Record<string, () => unknown> = {
    ArrowLeft: () => (place.theta -= STEP),
    ArrowRight: () => (place.theta += STEP),
    ArrowUp: () => (place.phi -= STEP),
    ArrowDown: () => (place.phi += STEP),
    '+': () => (place.radius /= 1.1),
    '-': () => (place.radius *= 1.1),
  };
  const turn = turns[key];
  if (!turn) return false;
  turn();
  place.radius = Math.max(controls.minDistance, Math.min(controls.maxDistance, place.radius));
  place.makeSafe();
  camera.position.setFromSpherical(place).add(controls.target);
  controls.update();
  return true;
}
