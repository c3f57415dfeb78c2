// What a shape stands on: a shadow of the key light, a dark place close under it, and somebody to tell sizes by.
import * as THREE from 'three';

import { figure } from './shapes';

/** How far a shadow reaches on the ground before it has faded. */
const REACH = 3.4;

/** What lies under an object: dark in the middle, nothing at the rim. */
function contactMaterial(): THREE.MeshBasicMaterial {
  const paper = document.createElement('canvas');
  paper.width = paper.height = 128;
  const ink = paper.getContext('2d');
  const fade = ink?.createRadialGradient(64, 64, 0, 64, 64, 64);
  for (let step = 0; step <= 8; step++) fade?.addColorStop(step / 8, `rgba(0,0,0,${(1 - step / 8) ** 2.2})`);
  if (ink && fade) {
    ink.fillStyle = fade;
    ink.fillRect(0, 0, 128, 128);
  }
  const map = new THREE.CanvasTexture(paper);
  return new THREE.MeshBasicMaterial({ map, color: 0x000000, transparent: true, depthWrite: false });
}

/** The ground, of which the shadow alone is seen: it fades as it goes, as that of a light with a size does, and ends nowhere. */
function groundMaterial(): THREE.ShadowMaterial {
  const material = new THREE.ShadowMaterial({ opacity: 0.42 });
  material.onBeforeCompile = (shader) => {
    shader.vertexShader = shader.vertexShader
      .replace('#include <common>', '#include <common>\nvarying vec2 v_ground;')
      .replace('#include <begin_vertex>', '#include <begin_vertex>\nv_ground = position.xz;');
    shader.fragmentShader = shader.fragmentShader
      .replace('#include <common>', '#include <common>\nvarying vec2 v_ground;')
      .replace('opacity * (', `opacity * (1.0 - smoothstep(0.6, ${REACH.toFixed(1)}, length(v_ground))) * (`);
  };
  return material;
}

export class Ground {
  readonly group = new THREE.Group();
  private readonly shadow = new THREE.Mesh(
    // No larger than its shadow reaches: what fades to nothing costs as much as what is seen.
    new THREE.CircleGeometry(REACH, 48).rotateX(-Math.PI / 2),
    groundMaterial(),
  );
  private readonly contact = new THREE.Mesh(
    new THREE.PlaneGeometry(1, 1).rotateX(-Math.PI / 2),
    contactMaterial(),
  );
  private readonly person = figure();
  private isThere = true;

  constructor() {
    this.shadow.receiveShadow = true;
    // What is drawn on the ground lies behind whatever is looked through.
    this.shadow.renderOrder = this.contact.renderOrder = -1e6;
    this.person.visible = false;
    this.group.add(this.shadow, this.contact, this.person);
  }

  /** Lie so far below the middle, under what is so large; null where what stands there is a ground itself. */
  lie(below: number | null, size: THREE.Vector3): void {
    this.isThere = this.contact.visible = below !== null;
    this.shadow.position.y = -(below ?? 0) - 0.002;
    this.contact.position.y = -(below ?? 0) - 0.001;
    this.contact.scale.set(size.x * 1.5, 1, size.z * 1.5);
  }

  /** Whether somebody stands there to tell sizes by. */
  show(person: boolean): void {
    this.person.visible = person;
  }

  /** Be lit by a key light, or by the sky alone: then all the shadow there is lies close under the object. */
  light(key: boolean): void {
    this.shadow.visible = this.isThere && key;
    this.contact.material.opacity = key ? 0.3 : 0.5;
  }

  dispose(): void {
    this.contact.material.map?.dispose();
    for (const { geometry, material } of [this.shadow, this.contact]) {
      geometry.dispose();
      material.dispose();
    }
  }
}
