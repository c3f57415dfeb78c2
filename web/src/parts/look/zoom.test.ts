// The arithmetic of the table: zooming keeps what is under the pointer, and tiles cover the window and no more.
import { describe, expect, it } from 'vitest';

import { changedPart } from '@/parts/rules/names';
import { TILE, evidenceUrl, ofEvidence } from '@/lib/pictures/pictures';
import { CLOSEST, fit, levelFor, texelAt, tilesFor, topLevel, zoomAt } from './zoom';

const VIEW = { width: 800, height: 600 };
const HERO = { width: 8192, height: 8192 };

describe('zooming', () => {
  it('keeps the texel under the pointer where it is', () => {
    let placed = fit(HERO, VIEW);
    for (const [factor, x, y] of [
      [3, 100, 50],
      [1.7, 700, 580],
      [0.4, 20, 300],
      [9, 400, 300],
    ] as const) {
      const before = {
        x: placed.x + (x - VIEW.width / 2) / placed.zoom,
        y: placed.y + (y - VIEW.height / 2) / placed.zoom,
      };
      placed = zoomAt(placed, factor, x, y, VIEW, HERO);
      const after = {
        x: placed.x + (x - VIEW.width / 2) / placed.zoom,
        y: placed.y + (y - VIEW.height / 2) / placed.zoom,
      };
      expect(after.x).toBeCloseTo(before.x, 6);
      expect(after.y).toBeCloseTo(before.y, 6);
    }
  });

  it('ends at single texels and at a quarter of the whole', () => {
    let placed = fit(HERO, VIEW);
    for (let step = 0; step < 50; step++) placed = zoomAt(placed, 2, 5, 5, VIEW, HERO);
    expect(placed.zoom).toBe(CLOSEST);
    for (let step = 0; step < 80; step++) placed = zoomAt(placed, 0.5, 5, 5, VIEW, HERO);
    expect(placed.zoom).toBeCloseTo(fit(HERO, VIEW).zoom / 4);
  });

  it('names the texel under a point', () => {
    const placed = { zoom: 16, x: 100.5, y: 40.5 };
    expect(texelAt(placed, 400, 300, VIEW)).toEqual({ x: 100, y: 40 });
    expect(texelAt(placed, 417, 283, VIEW)).toEqual({ x: 101, y: 39 });
  });
});

describe('tiles by level', () => {
  it('are one for the whole picture at its top level', () => {
    expect(topLevel(HERO)).toBe(4);
    expect(topLevel({ width: 512, height: 300 })).toBe(0);
    expect(tilesFor(fit(HERO, VIEW), VIEW, HERO, 4)).toEqual([{ level: 4, column: 0, row: 0 }]);
  });

  it('are few at every zoom of the largest picture: never more than some megabytes', () => {
    for (let zoom = 1 / 64; zoom <= CLOSEST; zoom *= 1.3) {
      const level = levelFor(zoom, HERO);
      const wanted = tilesFor({ zoom, x: 4000, y: 4100 }, VIEW, HERO, level);
      expect(wanted.length).toBeLessThanOrEqual(24);
      // The level is sharp: a texel of it is no larger than a screen pixel, unless it is the finest.
      if (level > 0) expect(zoom * 2 ** level).toBeLessThanOrEqual(1 + 1e-9);
    }
  });

  it('cover the window, and nothing beyond the picture', () => {
    const picture = { width: 1300, height: 700 };
    const wanted = tilesFor({ zoom: 1, x: 1200, y: 650 }, VIEW, picture, 0);
    expect(wanted).toEqual([
      { level: 0, column: 1, row: 0 },
      { level: 0, column: 2, row: 0 },
      { level: 0, column: 1, row: 1 },
      { level: 0, column: 2, row: 1 },
    ]);
    expect(TILE).toBe(512);
  });

  it('are wanted once, however often the picture is repeated', () => {
    const wanted = tilesFor(fit(HERO, VIEW, 3), VIEW, HERO, 4, 3);
    expect(wanted).toHaveLength(1);
  });
});

describe('a renamed path', () => {
  it('shows whole words that differ', () => {
    expect(changedPart('oak/Oak Rough.png', 'oak/oak_roughness.png')).toEqual([
      { text: 'oak/', changed: false },
      { text: 'oak_roughness', changed: true },
      { text: '.png', changed: false },
    ]);
    expect(changedPart('a.png', 'a.png').some((part) => part.changed)).toBe(false);
  });
});

describe('what the pixels say', () => {
  it('lies over its file, shrunk as the server shrinks it', () => {
    const file = {
      kind: 'files' as const,
      id: 7,
      name: 'n.png',
      width: 2048,
      height: 1000,
      channels: ['R', 'G', 'B'],
      stamp: 'abc',
    };
    const over = ofEvidence(file, 'curl-up', 'curl');
    expect([over.width, over.height]).toEqual([512, 250]);
    expect(over.address).toBe('/api/files/7/evidence/curl-up?v=abc');
    expect(evidenceUrl(7, 'between', 'G')).toBe('/api/files/7/evidence/between?channel=G');
  });
});
