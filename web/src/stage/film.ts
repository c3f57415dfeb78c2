// A turntable as a film: once around, as the stage draws it; or as pictures in a zip, where the browser records no film.
import { zipSync } from 'three/examples/jsm/libs/fflate.module.js';

import type { Stage } from './stage';

export const SECONDS = 6;
const FRAMES = 72;
const KINDS = ['video/webm;codecs=vp9', 'video/webm;codecs=vp8', 'video/webm'];

/** Whether this browser records films. */
export function records(): boolean {
  return typeof MediaRecorder !== 'undefined' && KINDS.some((kind) => MediaRecorder.isTypeSupported(kind));
}

export interface Film {
  blob: Blob;
  ending: 'webm' | 'zip';
}

/** Turn what stands on the stage once around and keep it. `tell` hears the share done; `stopped` says whether to stop, which gives
 * null. */
export async function turntable(
  stage: Stage,
  canvas: HTMLCanvasElement,
  tell: (share: number) => void,
  stopped: () => boolean,
): Promise<Film | null> {
  const { light, object } = stage.turns;
  try {
    return records()
      ? await recorded(stage, canvas, tell, stopped)
      : await pictured(stage, canvas, tell, stopped);
  } finally {
    stage.turn(light, object);
  }
}

async function recorded(
  stage: Stage,
  canvas: HTMLCanvasElement,
  tell: (share: number) => void,
  stopped: () => boolean,
): Promise<Film | null> {
  const stream = canvas.captureStream(30);
  const kind = KINDS.find((entry) => MediaRecorder.isTypeSupported(entry)) ?? '';
  const recorder = new MediaRecorder(stream, { mimeType: kind, videoBitsPerSecond: 16_000_000 });
  const parts: Blob[] = [];
  recorder.ondataavailable = (event) => parts.push(event.data);
  const ended = new Promise((resolve) => (recorder.onstop = resolve));
  const { light, object } = stage.turns;
  recorder.start();
  const began = performance.now();
  // A film runs by the clock: a slow machine has fewer frames in it, and not a slower turn.
  for (let share = 0; share < 1 && !stopped(); share = (performance.now() - began) / (SECONDS * 1000)) {
    stage.turn(light, object + share * 2 * Math.PI);
    tell(share);
    await frame();
  }
  recorder.stop();
  await ended;
  for (const track of stream.getTracks()) track.stop();
  return stopped() ? null : { blob: new Blob(parts, { type: 'video/webm' }), ending: 'webm' };
}

async function pictured(
  stage: Stage,
  canvas: HTMLCanvasElement,
  tell: (share: number) => void,
  stopped: () => boolean,
): Promise<Film | null> {
  const { light, object } = stage.turns;
  const files: Record<string, Uint8Array> = {};
  for (let at = 0; at < FRAMES; at++) {
    if (stopped()) return null;
    stage.turn(light, object + (at / FRAMES) * 2 * Math.PI);
    stage.paint(true);
    const picture = await new Promise<Blob | null>((resolve) => canvas.toBlob(resolve, 'image/png'));
    if (picture) files[`${String(at).padStart(3, '0')}.png`] = new Uint8Array(await picture.arrayBuffer());
    tell((at + 1) / FRAMES);
    await frame();
  }
  // Pictures are packed already.
  const zip = zipSync(files, { level: 0 });
  return { blob: new Blob([zip as Uint8Array<ArrayBuffer>], { type: 'application/zip' }), ending: 'zip' };
}

function frame(): Promise<number> {
  return new Promise((resolve) => requestAnimationFrame(resolve));
}
