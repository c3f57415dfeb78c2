// Where the stage is looked at from: by hand, by key, from fixed places, through a longer or a shorter lens.
import * as THREE from 'three';
import { OrbitControls } from 'three/examples/jsm/controls/OrbitControls.js';

import { orbitByKey } from '@/lib/pictures/orbit';

/** Fixed places to look from, in the order of their keys. */
export const VIEWS = ['front', 'three quarters', 'left', 'right', 'above', 'behind'] as const;
export type View = (typeof VIEWS)[number];

export class Eye {
  readonly camera = new THREE.PerspectiveCamera(30, 1, 0.05, 120);
  private readonly controls: OrbitControls;

  /** `moved` is called whenever the eye has moved. */
  constructor(
    canvas: HTMLCanvasElement,
    private readonly moved: () => void,
  ) {
    this.controls = new OrbitControls(this.camera, canvas);
    this.controls.enablePan = true;
    this.controls.minDistance = 1.2;
    this.controls.maxDistance = 30;
    this.controls.addEventListener('change', () => this.moved());
  }

  /** Leave the left button to a brush: the right one turns then. */
  paintsWithLeft(on: boolean): void {
    const { ROTATE, PAN } = THREE.MOUSE;
    this.controls.mouseButtons = {
      LEFT: on ? null : ROTATE,
      MIDDLE: THREE.MOUSE.DOLLY,
      RIGHT: on ? ROTATE : PAN,
    };
  }

  /** Stand at a place and look at the middle. */
  stand(place: [number, number, number]): void {
    this.camera.position.set(...place);
    this.controls.target.set(0, 0, 0);
    this.controls.update();
  }

  /** See a picture so many times as wide as high. */
  frame(aspect: number): void {
    this.camera.aspect = aspect;
    this.camera.updateProjectionMatrix();
  }

  field(degrees: number): void {
    // The object keeps its size: a longer lens stands further off.
    const factor = Math.tan((this.camera.fov * Math.PI) / 360) / Math.tan((degrees * Math.PI) / 360);
    this.camera.fov = degrees;
    this.camera.position.sub(this.controls.target).multiplyScalar(factor).add(this.controls.target);
    this.camera.updateProjectionMatrix();
    this.controls.update();
    this.moved();
  }

  /** Look from a fixed place: in front, from a side, from above, from behind. */
  from(view: View): void {
    const far = this.camera.position.distanceTo(this.controls.target);
    const places: Record<View, [number, number, number]> = {
      front: [0, 0, 1],
      left: [-1, 0, 0],
      right: [1, 0, 0],
      above: [0, 1, 0.001],
      behind: [0, 0, -1],
      'three quarters': [0.62, 0.42, 0.66],
    };
    this.camera.position
      .set(...places[view])
      .normalize()
      .multiplyScalar(far)
      .add(this.controls.target);
    this.controls.update();
    this.moved();
  }

  /** Move by a key; whether it was one that moves. */
  keyed(key: string): boolean {
    return orbitByKey(this.camera, this.controls, key) && (this.moved(), true);
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
    this.moved();
  }

  dispose(): void {
    this.controls.dispose();
  }
}
