// What is seen through is drawn from far to near: the triangles of a piece in the order in which they lie before the eye.
import * as THREE from 'three';

/** So many steps of distance are told apart. */
const STEPS = 1 << 14;

export class FarToNear {
  readonly triangles: number;
  private readonly corners: ArrayLike<number>;
  private readonly middles: Float32Array;
  private readonly steps: Uint16Array;
  private readonly counts = new Uint32Array(STEPS + 1);
  private readonly index: THREE.BufferAttribute;
  private readonly last = new THREE.Vector3(NaN, NaN, NaN);

  /** Takes over the geometry's index. */
  constructor(geometry: THREE.BufferGeometry) {
    const place = geometry.getAttribute('position');
    const count = geometry.index?.count ?? place.count;
    this.corners = geometry.index?.array.slice() ?? Uint32Array.from({ length: count }, (_, at) => at);
    this.triangles = Math.floor(count / 3);
    this.steps = new Uint16Array(this.triangles);
    this.middles = new Float32Array(this.triangles * 3);
    for (let at = 0; at < this.triangles * 3; at++) {
      const corner = this.corners[at] ?? 0;
      const into = Math.floor(at / 3) * 3;
      for (let part = 0; part < 3; part++)
        this.middles[into + part] = (this.middles[into + part] ?? 0) + place.getComponent(corner, part) / 3;
    }
    this.index = new THREE.BufferAttribute(new Uint32Array(this.triangles * 3), 1);
    this.index.setUsage(THREE.DynamicDrawUsage);
    geometry.setIndex(this.index);
  }

  /** Put the triangles in order for an eye, in the geometry's own measure. Nothing is done where it stands as it did. */
  arrange(eye: THREE.Vector3): void {
    if (this.last.distanceToSquared(eye) < 1e-8) return;
    this.last.copy(eye);
    const { middles, steps, counts, corners, triangles } = this;
    const far = new Float32Array(triangles);
    let [least, most] = [Infinity, -Infinity];
    for (let at = 0; at < triangles; at++) {
      const x = (middles[at * 3] ?? 0) - eye.x;
      const y = (middles[at * 3 + 1] ?? 0) - eye.y;
      const z = (middles[at * 3 + 2] ?? 0) - eye.z;
      // As it is kept: the furthest must not be further than itself.
      const distance = Math.fround(Math.sqrt(x * x + y * y + z * z));
      far[at] = distance;
      if (distance < least) least = distance;
      if (distance > most) most = distance;
    }
    const scale = (STEPS - 1) / Math.max(most - least, 1e-12);
    counts.fill(0);
    for (let at = 0; at < triangles; at++) {
      const step = Math.floor((most - (far[at] ?? 0)) * scale);
      steps[at] = step;
      counts[step + 1] = (counts[step + 1] ?? 0) + 1;
    }
    for (let step = 0; step < STEPS; step++) counts[step + 1] = (counts[step + 1] ?? 0) + (counts[step] ?? 0);
    const order = this.index.array;
    for (let at = 0; at < triangles; at++) {
      const step = steps[at] ?? 0;
      const into = counts[step] ?? 0;
      counts[step] = into + 1;
      for (let part = 0; part < 3; part++) order[into * 3 + part] = corners[at * 3 + part] ?? 0;
    }
    this.index.needsUpdate = true;
  }
}
