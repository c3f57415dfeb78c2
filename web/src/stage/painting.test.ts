// Painting on points: what a dab reaches, what it leaves, and what a denser mesh keeps.
import * as THREE from 'three';
import { describe, expect, it } from 'vitest';

import { apart, dab, denser, fill, paintOf, spanOf, Strokes, weight, type Brush } from './painting';

const brush: Brush = { channel: 0, towards: 1, radius: 0.5, strength: 1, softness: 0.5, smooth: false };
const plane = (points = 10) => new THREE.PlaneGeometry(2, 2, points, points);
const middle = new THREE.Vector3(0, 0, 0);

describe('a brush', () => {
  it('does all inside, less in its border, nothing beyond', () => {
    expect([0, 0.25, 0.4999, 0.5, 3].map((away) => Number(weight(brush, away).toFixed(3)))).toEqual([
      1, 1, 0, 0, 0,
    ]);
    const falls = [0.3, 0.35, 0.4, 0.45].map((away) => weight(brush, away));
    expect(falls).toEqual([...falls].sort((a, b) => b - a));
    expect(weight({ ...brush, softness: 0 }, 0.49)).toBe(1);
  });
  it('paints one channel of the points that it reaches', () => {
    const geometry = plane();
    expect(dab(geometry, middle, brush)).toBeGreaterThan(4);
    const paint = paintOf(geometry);
    const place = geometry.getAttribute('position');
    for (let point = 0; point < paint.count; point++) {
      const away = Math.hypot(place.getX(point), place.getY(point));
      expect(paint.getX(point)).toBeCloseTo(weight(brush, away), 5);
      expect([paint.getY(point), paint.getZ(point), paint.getW(point)]).toEqual([0, 0, 0]);
    }
    expect(dab(geometry, new THREE.Vector3(9, 9, 9), brush)).toBe(0);
    expect(spanOf(geometry)).toEqual({ low: [0, 0, 0, 0], high: [1, 0, 0, 0] });
    expect(spanOf(plane()).high).toEqual([0, 0, 0, 0]);
  });
  it('goes a part of the way with less strength, and takes away again', () => {
    const geometry = plane();
    const half = { ...brush, strength: 0.5, softness: 0 };
    dab(geometry, middle, half);
    dab(geometry, middle, half);
    const at = 60;
    expect(paintOf(geometry).getX(at)).toBeCloseTo(0.75, 6);
    dab(geometry, middle, { ...half, strength: 1, towards: 0 });
    expect(paintOf(geometry).getX(at)).toBe(0);
  });
  it('smooths what lies under it, and changes nothing that is even', () => {
    const geometry = plane();
    dab(geometry, middle, { ...brush, radius: 0.25, softness: 0 });
    const spread = () => {
      const values = [...Array(paintOf(geometry).count).keys()].map((point) => paintOf(geometry).getX(point));
      return Math.max(...values) - Math.min(...values);
    };
    const before = spread();
    dab(geometry, middle, { ...brush, radius: 3, strength: 0.5, smooth: true, softness: 0 });
    expect(spread()).toBeLessThan(before);
    fill(geometry, 0, 0.5);
    dab(geometry, middle, { ...brush, smooth: true });
    expect(spread()).toBeCloseTo(0, 6);
  });
});

describe('strokes', () => {
  it('are taken back one by one, also over a density that was raised', () => {
    const part = { geometry: plane(), triangles: 200, denser: 0 };
    const strokes = new Strokes<typeof part>();
    const stroke = (channel: number) => {
      strokes.begin();
      strokes.touch(part);
      dab(part.geometry, middle, { ...brush, channel });
    };
    const painted = () => [0, 1, 2].map((channel) => paintOf(part.geometry).getComponent(60, channel));
    expect(strokes.changed()).toEqual([]);
    stroke(0);
    const { geometry } = part;
    strokes.begin();
    strokes.touch(part);
    Object.assign(part, { geometry: denser(geometry), triangles: 800, denser: 1 });
    stroke(2);
    expect(strokes.changed()).toEqual([part]);
    expect([strokes.undo(), part.triangles]).toEqual([[], 800]);
    expect([strokes.undo(), part.triangles, part.denser]).toEqual([[part], 200, 0]);
    expect([part.geometry, painted()]).toEqual([geometry, [1, 0, 0]]);
    stroke(1);
    expect(painted()).toEqual([1, 1, 0]);
    expect([strokes.undo(), strokes.undo(), strokes.undo()]).toEqual([[], [], null]);
    // What is as it was is nothing to keep.
    expect([painted(), strokes.changed()]).toEqual([[0, 0, 0], []]);
  });
});

describe('a denser mesh', () => {
  it('has four triangles for one, half as far apart, and the same surface', () => {
    const geometry = plane(2);
    geometry.computeTangents();
    fill(geometry, 2, 0.25);
    const made = denser(geometry);
    expect(made.getAttribute('position').count).toBe(8 * 4 * 3);
    expect(apart(made)).toBeCloseTo(apart(geometry) / 2, 6);
    made.computeBoundingBox();
    geometry.computeBoundingBox();
    expect(made.boundingBox).toEqual(geometry.boundingBox);
    expect(paintOf(made).getZ(17)).toBeCloseTo(0.25, 6);
    const tangent = made.getAttribute('tangent');
    expect([tangent.getX(5), tangent.getW(5)].map(Math.abs)).toEqual([1, 1]);
  });
  it('keeps what came with a file: three numbers have an alpha of one', () => {
    const geometry = plane(1);
    geometry.setAttribute('paint', new THREE.BufferAttribute(new Float32Array(12).fill(0.5), 3));
    expect([paintOf(geometry).getY(3), paintOf(geometry).getW(3)]).toEqual([0.5, 1]);
  });
});
