// A piece of what stands on the stage: its geometry, and what it wears on the first and the second side.
import * as THREE from 'three';

import { FarToNear } from './order';
import {
  BARE,
  PARTS,
  READINGS,
  RELIEFS,
  shadingOf,
  type Part,
  type Reading,
  type Relief,
  type Shading,
} from './shading';
import type { Surface } from './stage';
import type { Held, Shelf } from './textures';
import { thin } from './thin';

/** What a piece is made of before it wears anything: `own` is the material that its file brings, `colour` tells materials apart. */
export interface Bare {
  geometry: THREE.BufferGeometry;
  own?: THREE.Material | null;
  colour?: THREE.Color;
}

/** What a piece may wear: a surface, what its own file says, or nothing. */
export type Dress = Surface | 'own' | null;

interface Side {
  surface: Surface;
  shading: Shading;
  held: Held[];
}

/** What all pieces have in common while a side is drawn. */
export interface Seen {
  part: Part;
  reading: Reading;
  wished: number;
  repeats: [number, number];
  relief: Relief;
  depth: number;
  mid: number;
  /** The width of a picture in the shape's measure, and the points that lie along it. */
  span: number;
  points: number;
  /** Time, for what moves by itself. */
  seconds: number;
  /** Whether so few pixels are drawn that fewer triangles will do. */
  thinly: boolean;
  /** The strand that is seen where rows are shown. */
  row: { number: number; low: number; high: number };
}

/** A piece with more triangles than this is not put in order anew while it moves. */
const QUICK = 60_000;

export class Piece {
  readonly mesh: THREE.Mesh<THREE.BufferGeometry, THREE.Material>;
  readonly sides: [Side | null, Side | null] = [null, null];
  private readonly owns: [boolean, boolean] = [false, false];
  /** How often each side was asked to wear something else: the newest ask is what it wears, whichever comes last. */
  readonly asked: [number, number] = [0, 0];
  /** What each side wore last, until what it wears now has been drawn: a shader that both have is not compiled anew. */
  private readonly past: [Shading | null, Shading | null] = [null, null];
  private readonly bare = shadingOf(BARE);
  private order: FarToNear | null = null;
  private edges: THREE.LineSegments | null = null;

  constructor(private readonly made: Bare) {
    this.mesh = new THREE.Mesh<THREE.BufferGeometry, THREE.Material>(made.geometry, this.bare.material);
    this.mesh.castShadow = this.mesh.receiveShadow = true;
  }

  /** Take another geometry, and go on wearing what is worn. */
  reshape(geometry: THREE.BufferGeometry): void {
    this.mesh.geometry.dispose();
    this.mesh.geometry = geometry;
    this.order = null;
  }

  /** Draw the edges of its triangles over it, or not. */
  wire(on: boolean): void {
    if (this.edges) {
      this.mesh.remove(this.edges);
      this.edges.geometry.dispose();
      (this.edges.material as THREE.Material).dispose();
      this.edges = null;
    }
    if (!on) return;
    const ink = new THREE.LineBasicMaterial({ color: 0x1b2430, transparent: true, opacity: 0.45 });
    this.edges = new THREE.LineSegments(new THREE.WireframeGeometry(this.mesh.geometry), ink);
    this.mesh.add(this.edges);
  }

  wear(side: Side, at: 0 | 1, shelf: Shelf): void {
    this.undress(at, shelf);
    this.sides[at] = side;
  }

  wearOwn(at: 0 | 1, shelf: Shelf): void {
    this.undress(at, shelf);
    this.owns[at] = true;
  }

  undress(at: 0 | 1, shelf: Shelf): void {
    this.owns[at] = false;
    const side = this.sides[at];
    if (!side) return;
    this.forget(at);
    this.past[at] = side.shading;
    shelf.give(side.held);
    this.sides[at] = null;
  }

  /** Let go of what a side wore before; called once what it wears now was drawn. */
  forget(at: 0 | 1): void {
    this.past[at]?.material.dispose();
    this.past[at]?.shadow.dispose();
    this.past[at] = null;
  }

  /** Whether it wears anything on a side. */
  wears(at: 0 | 1): boolean {
    return this.sides[at] !== null || this.owns[at];
  }

  /** Be as a side is to be seen, by an eye in the world. */
  show(at: 0 | 1, seen: Seen, eye: THREE.Vector3, full: boolean): void {
    // What is not worn on the second side is as on the first.
    const from = this.wears(at) ? at : 0;
    const side = this.sides[from];
    if (this.owns[from] && this.made.own && seen.part === 'lit') {
      this.mesh.material = this.made.own;
      this.mesh.customDepthMaterial = undefined;
      this.sort(this.made.own.transparent, eye, full);
      return;
    }
    const shading = side?.shading ?? this.bare;
    this.mesh.material = shading.material;
    this.mesh.customDepthMaterial = shading.shadow;
    const { uniforms } = shading;
    const put = (name: string, value: unknown) => {
      if (uniforms[name]) uniforms[name].value = value;
    };
    const height = side?.surface.height ?? null;
    put('shown_part', PARTS.indexOf(seen.part));
    put('reading', READINGS.indexOf(seen.reading));
    put('wished', seen.wished);
    put('relief', height ? RELIEFS.indexOf(seen.relief) : 0);
    put('depth', seen.depth);
    put('mid_level', seen.mid);
    put('span', seen.span);
    put('seconds', seen.seconds);
    put('shown_row', seen.row.number);
    (uniforms.row_range?.value as THREE.Vector2).set(seen.row.low, seen.row.high);
    put('painted', this.mesh.geometry.hasAttribute('paint'));
    put('has_second', this.mesh.geometry.hasAttribute('uv1'));
    (uniforms.repeats?.value as THREE.Vector2).set(...seen.repeats);
    if (this.made.colour) (uniforms.material_colour?.value as THREE.Color).copy(this.made.colour);
    const texels =
      height &&
      side?.held[
        side.surface.pictures.findIndex(
          ({ output, holder }) => output === height.sampler.output && holder === height.sampler.holder,
        )
      ];
    put('height_level', texels ? Math.max(0, Math.log2(texels.width / seen.points)) : 0);
    this.cull(shading.material);
    if (!shading.material.transparent && thin(this.mesh.geometry, seen.thinly)) this.order = null;
    this.sort(shading.material.transparent, eye, full);
  }

  dispose(shelf: Shelf): void {
    this.wire(false);
    for (const at of [0, 1] as const) {
      this.undress(at, shelf);
      this.forget(at);
    }
    this.disposeOwn();
    this.bare.material.dispose();
    this.bare.shadow.dispose();
    this.mesh.geometry.dispose();
  }

  /** What is closed and solid is drawn from outside alone: a GPU that shades what is hidden afterwards takes twice as long. */
  private cull(material: THREE.MeshPhysicalMaterial): void {
    const isSolid = !material.transparent && material.alphaTest === 0;
    const isOnce = material.userData.twoSided === false;
    const isHidden = isOnce || (isSolid && this.mesh.geometry.userData.closed === true);
    const side = isHidden ? THREE.FrontSide : THREE.DoubleSide;
    if (material.side === side) return;
    material.side = side;
    material.needsUpdate = true;
  }

  private disposeOwn(): void {
    const { own } = this.made;
    if (!own) return;
    for (const value of Object.values(own) as unknown[]) if (value instanceof THREE.Texture) value.dispose();
    own.dispose();
  }

  /** Where it is looked through, its triangles lie from far to near, and so do such pieces among themselves. */
  private sort(seeThrough: boolean, eye: THREE.Vector3, full: boolean): void {
    this.mesh.renderOrder = 0;
    if (!seeThrough) return;
    const { geometry } = this.mesh;
    if (!geometry.boundingSphere) geometry.computeBoundingSphere();
    const middle = this.mesh.localToWorld((geometry.boundingSphere?.center ?? new THREE.Vector3()).clone());
    this.mesh.renderOrder = -middle.distanceTo(eye);
    if (!this.order) {
      thin(geometry, false);
      this.order = new FarToNear(geometry);
    }
    if (full || this.order.triangles <= QUICK) this.order.arrange(this.mesh.worldToLocal(eye.clone()));
  }
}
