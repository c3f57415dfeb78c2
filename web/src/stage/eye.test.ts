// @vitest-environment happy-dom
// Where the stage is looked at from: laws of the eye, whatever it did before.
import * as THREE from 'three';
import { describe, expect, it, vi } from 'vitest';

import { Eye, VIEWS } from './eye';
import { materialsOf } from './mtl';

function eye() {
  const moved = vi.fn();
  const made = new Eye(document.createElement('canvas'), moved);
  made.stand([0, 0, 6]);
  return { made, moved };
}
const far = (made: Eye) => made.camera.position.length();
/** How much of the picture's height something as high as 1 takes at the middle. */
const seen = (made: Eye) => 1 / (2 * far(made) * Math.tan((made.camera.fov * Math.PI) / 360));

describe('the eye', () => {
  it('keeps its distance wherever it is put, and looks at the middle', () => {
    const { made, moved } = eye();
    for (const view of VIEWS) {
      made.from(view);
      expect(far(made)).toBeCloseTo(6, 3);
      const ahead = made.camera.getWorldDirection(new THREE.Vector3());
      expect(ahead.dot(made.camera.position.clone().normalize())).toBeCloseTo(-1, 4);
    }
    expect(moved.mock.calls.length).toBeGreaterThanOrEqual(VIEWS.length);
    made.from('left');
    expect(made.camera.position.x).toBeCloseTo(-6, 3);
  });

  it('shows a thing as large through a longer lens', () => {
    const { made } = eye();
    const before = seen(made);
    for (const degrees of [15, 60, 30]) {
      made.field(degrees);
      expect(seen(made)).toBeCloseTo(before, 4);
    }
    expect(far(made)).toBeCloseTo(6, 3);
  });

  it('turns by arrows and comes nearer by plus, within what it may', () => {
    const { made } = eye();
    expect([made.keyed('ArrowRight'), made.keyed('x')]).toEqual([true, false]);
    expect(made.camera.position.x).toBeGreaterThan(0);
    made.keyed('ArrowLeft');
    expect(made.camera.position.x).toBeCloseTo(0, 4);
    for (let press = 0; press < 60; press += 1) made.keyed('+');
    expect(far(made)).toBeCloseTo(1.2, 3);
    for (let press = 0; press < 60; press += 1) made.keyed('-');
    expect(far(made)).toBeCloseTo(30, 2);
    // Over the pole it would stand on its head.
    for (let press = 0; press < 60; press += 1) made.keyed('ArrowUp');
    expect(made.camera.position.y).toBeLessThanOrEqual(30);
    expect(made.camera.up.y).toBe(1);
  });

  it('is written down in a few numbers and read back; what is none is left alone', () => {
    const { made } = eye();
    made.from('three quarters');
    const written = made.view;
    made.from('above');
    made.view = written;
    expect(made.view).toBe(written);
    for (const wrong of ['', '1,2,3', 'a,b,c,d,e,f', `${written},1`]) made.view = wrong;
    expect(made.view).toBe(written);
    made.dispose();
  });
});

describe('materials beside an OBJ', () => {
  const read = (text: string) => materialsOf(text) as Map<string, THREE.MeshStandardMaterial>;

  it('have the colours, the roughness and the opacity that are said in plain words', () => {
    const found = read(
      'newmtl Old Brass\r\nKd 0.5 0.4\r\nKe 1 0.5 0\r\nPr 0.3\nPm 1\nNs 2\nd 0.25\nnewmtl glass\nTr 0.25',
    );
    expect([...found.keys()]).toEqual(['Old Brass', 'glass']);
    const brass = found.get('Old Brass');
    // Colours of the surface are as they are seen, light is as it is measured.
    expect(brass?.color.getHex()).toBe(
      new THREE.Color().setRGB(0.5, 0.4, 0.5, THREE.SRGBColorSpace).getHex(),
    );
    expect(brass?.emissive.toArray()).toEqual([1, 0.5, 0]);
    expect([brass?.roughness, brass?.metalness, brass?.opacity, brass?.transparent]).toEqual([
      0.3,
      1,
      0.25,
      true,
    ]);
    expect([found.get('glass')?.opacity, found.get('glass')?.transparent]).toEqual([0.75, true]);
  });

  it('take an exponent as a roughness where nothing better is said', () => {
    for (const [exponent, roughness] of [
      [0, 1],
      [6, 0.5],
      [-5, 1],
    ])
      expect(read(`newmtl a\nNs ${exponent}`).get('a')?.roughness).toBeCloseTo(roughness ?? 0, 6);
  });

  it('leave out what is damaged, and what stands before the first name', () => {
    const found = read('Kd 1 1 1\nnewmtl a\nKd one two three\nPr\nPm 7\nmap_Kd ../../etc/passwd\n# d 0');
    expect(found.size).toBe(1);
    const only = found.get('a');
    expect([only?.roughness, only?.metalness, only?.opacity, only?.map]).toEqual([0.8, 1, 1, null]);
    expect(read('').size).toBe(0);
  });
});
