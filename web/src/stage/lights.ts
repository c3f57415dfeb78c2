// What lights the stage: an environment, or one for each of two sides, and its key light, which throws the shadow.
import * as THREE from 'three';

import type { EnvironmentView } from '@/api/client';

import { even, lightOf, type Environment } from './environment';
import type { Behind } from './kept';

const UP = new THREE.Vector3(0, 1, 0);

export class Lights {
  private readonly key = new THREE.DirectionalLight(0xffffff, 0);
  private readonly sides: [Environment | null, Environment | null] = [null, null];
  /** How often each was asked to be another: the newest ask is what it is. */
  private readonly asked: [number, number] = [0, 0];

  constructor() {
    const { shadow } = this.key;
    this.key.castShadow = true;
    shadow.mapSize.set(2048, 2048);
    shadow.radius = 5;
    shadow.normalBias = 0.02;
    Object.assign(shadow.camera, { left: -6, right: 6, top: 5, bottom: -3, near: 0.1, far: 20 });
  }

  /** What belongs into the scene. */
  get lamps(): THREE.Object3D[] {
    return [this.key, this.key.target];
  }

  /** Whether the second side has a light of its own. */
  get areTwo(): boolean {
    return this.sides[1] !== null;
  }

  /** Light both sides by an environment, or the second alone. Throws an Error that says why it cannot be had. */
  async take(renderer: THREE.WebGLRenderer, view: EnvironmentView, at: 0 | 1): Promise<void> {
    const mine = ++this.asked[at];
    const made = await lightOf(renderer, view);
    if (this.asked[at] === mine) this.put(made, at);
    else made.dispose();
  }

  /** Light evenly from all around, and by a lamp. */
  even(
    renderer: THREE.WebGLRenderer,
    level: number,
    lamp: { towards: number[]; colour: number[] } | null,
  ): void {
    const key = lamp && {
      towards: new THREE.Vector3().fromArray(lamp.towards).normalize(),
      colour: new THREE.Color().fromArray(lamp.colour),
    };
    this.put(even(renderer, level, key), 0);
  }

  /** Take the second side's own environment away. */
  one(): void {
    this.asked[1]++;
    this.sides[1]?.dispose();
    this.sides[1] = null;
  }

  /** Light a scene as a side is lit, turned by so many radians; says whether there is a key light. */
  shine(scene: THREE.Scene, at: 0 | 1, turn: number, behind: Behind): boolean {
    const environment = this.sides[at] ?? this.sides[0];
    scene.environment = environment?.light ?? null;
    scene.environmentRotation.set(0, turn, 0);
    scene.background =
      behind === 'environment' || behind === 'blurred environment' ? scene.environment : null;
    scene.backgroundRotation.set(0, turn, 0);
    scene.backgroundBlurriness = behind === 'blurred environment' ? 0.45 : 0;
    const key = environment?.key;
    this.key.visible = Boolean(key);
    if (!key) return false;
    this.key.color.copy(key.colour);
    // A white matt surface sends light over π back: what is stated is what it sends.
    this.key.intensity = Math.PI;
    this.key.position.copy(key.towards).applyAxisAngle(UP, turn).multiplyScalar(6);
    return true;
  }

  dispose(): void {
    for (const side of this.sides) side?.dispose();
    this.key.dispose();
  }

  private put(made: Environment, at: 0 | 1): void {
    this.sides[at]?.dispose();
    this.sides[at] = made;
  }
}
