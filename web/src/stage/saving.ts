// The stage as a picture to keep: drawn in parts, so that no size is too large for the GPU.
import type * as THREE from 'three';

import type { Showing } from './output';

/** Pixels of a saved picture's parts. */
const PART_EDGE = 1024;

/** What a stage can do for whoever saves it. */
export interface Saved {
  readonly renderer: THREE.WebGLRenderer;
  readonly eye: { readonly camera: THREE.PerspectiveCamera };
  readonly canvas: HTMLCanvasElement;
  readonly isTwo: boolean;
  showing: Showing;
  draw(targets: THREE.WebGLRenderTarget[], wide: number, high: number): void;
  lay(targets: THREE.WebGLRenderTarget[]): void;
}

/** How flat or how high a picture may be: a stage that was squeezed between other things makes none that is a stripe. */
const MOST_STRETCHED = 2;

/** A PNG of so many pixels' width, in the shape of its stage as far as a picture may have it; `clear` leaves out what lies behind. The stage is drawn anew afterwards by whoever asked. */
export function pngOf(on: Saved, width: number, clear: boolean): Promise<Blob | null> {
  const { clientWidth, clientHeight } = on.canvas;
  const shape = clientHeight / Math.max(1, clientWidth);
  const height = Math.round(width * Math.min(MOST_STRETCHED, Math.max(1 / MOST_STRETCHED, shape)));
  const paper = document.createElement('canvas');
  [paper.width, paper.height] = [width, height];
  const ink = paper.getContext('2d');
  if (!ink) return Promise.resolve(null);
  const kept = { ...on.showing };
  const beside = on.isTwo && kept.together === 'beside';
  // Side by side each has half of the picture to itself.
  const wide = beside ? Math.ceil(width / 2) : width;
  on.renderer.setPixelRatio(1);
  on.showing.behind = clear ? 'nothing' : kept.behind;
  on.showing.square = (12 * width) / Math.max(1, clientWidth);
  for (const side of beside ? ([0, 1] as const) : [null]) inParts(on, ink, wide, height, side, kept.wipe);
  on.showing = kept;
  on.eye.camera.clearViewOffset();
  return new Promise((resolve) => paper.toBlob(resolve, 'image/png'));
}

/** Both sides as they stand together, or one of two that stand side by side. */
function inParts(
  on: Saved,
  ink: CanvasRenderingContext2D,
  width: number,
  height: number,
  side: 0 | 1 | null,
  wipe: number,
): void {
  const targets: THREE.WebGLRenderTarget[] = [];
  on.eye.camera.aspect = width / height;
  if (side !== null) on.showing = { ...on.showing, together: 'one', swapped: side === 1 };
  for (let y = 0; y < height; y += PART_EDGE) {
    for (let x = 0; x < width; x += PART_EDGE) {
      const [wide, high] = [Math.min(PART_EDGE, width - x), Math.min(PART_EDGE, height - y)];
      on.renderer.setSize(wide, high, false);
      on.eye.camera.setViewOffset(width, height, x, y, wide, high);
      on.draw(targets, wide, high);
      on.showing.wipe = (wipe * width - x) / wide;
      on.lay(targets);
      ink.drawImage(on.canvas, x + (side === 1 ? width : 0), y);
    }
  }
  for (const target of targets) target?.dispose();
}
