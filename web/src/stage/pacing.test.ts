// When the stage is drawn: by a clock and frames of the test's own.
import { afterEach, beforeEach, expect, it, vi } from 'vitest';

let frames: ((now: number) => void)[] = [];
let now = 0;
interface Drawn {
  full: boolean;
  scale: number;
}
let drawn: Drawn[] = [];
let moves = 0;

beforeEach(() => {
  // What a machine needed last is remembered: each test begins with one of which nothing is known.
  vi.resetModules();
  vi.useFakeTimers();
  [frames, now, drawn, moves] = [[], 0, [], 0];
  vi.stubGlobal('window', globalThis);
  vi.stubGlobal('requestAnimationFrame', (run: (now: number) => void) => frames.push(run));
  vi.stubGlobal('cancelAnimationFrame', () => (frames = []));
});
afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

async function begun() {
  const { Pacing } = await import('./pacing');
  return new Pacing((full, scale) => {
    drawn.push({ full, scale });
    return moves-- > 0;
  });
}
/** One frame after so many milliseconds. */
function frame(after: number): void {
  now += after;
  const [run] = frames.splice(0, 1);
  run?.(now);
}

it('draws nothing while nothing changes, and once in full when nothing does any more', async () => {
  const pacing = await begun();
  expect(frames).toEqual([]);
  pacing.touch();
  pacing.touch();
  expect(frames.length).toBe(1);
  frame(16);
  expect(drawn).toEqual([{ full: false, scale: 1 }]);
  vi.advanceTimersByTime(500);
  frame(500);
  expect(drawn.at(-1)).toEqual({ full: true, scale: 1 });
  vi.advanceTimersByTime(5000);
  expect(frames).toEqual([]);
  expect(drawn.length).toBe(2);
});

it('gets coarser on a slow machine, down to a third, and finer again on a quick one', async () => {
  const pacing = await begun();
  moves = 100;
  pacing.touch();
  // A frame that takes more than a second is a frame: such a machine needs help most.
  for (const took of [16, 1500, 1500]) frame(took);
  expect(drawn.at(-1)?.scale).toBeCloseTo(1 / 3, 6);
  for (let at = 0; at < 20; at++) frame(16);
  expect(drawn.at(-1)?.scale).toBe(1);
});

it('keeps up with fifteen frames a second, and no finer', async () => {
  const pacing = await begun();
  moves = 200;
  pacing.touch();
  frame(16);
  // Here a frame takes as long as it has pixels: 120 ms at full size.
  for (let at = 0; at < 60; at++) frame(120 * (drawn.at(-1)?.scale ?? 1) ** 2);
  const scale = drawn.at(-1)?.scale ?? 0;
  expect(120 * scale ** 2).toBeLessThan(1.15 * (1000 / 15));
  expect(scale).toBeGreaterThan(0.6);
});

it('does not take a pause for a slow frame', async () => {
  const pacing = await begun();
  pacing.touch();
  frame(16);
  vi.advanceTimersByTime(200);
  frame(200);
  pacing.touch();
  frame(60_000);
  pacing.touch();
  frame(16);
  expect(drawn.at(-1)).toEqual({ full: false, scale: 1 });
});

it('draws nothing on a stage that is gone', async () => {
  const pacing = await begun();
  pacing.touch();
  pacing.end();
  pacing.touch();
  vi.advanceTimersByTime(1000);
  expect(frames).toEqual([]);
  expect(drawn).toEqual([]);
});
