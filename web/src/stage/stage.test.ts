// @vitest-environment happy-dom
// What surrounds the stage: how it is liked and told by a link, light as it is packed, models, and what their parts wear.
import { DataUtils } from 'three';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { createPinia, setActivePinia } from 'pinia';
import { defineComponent, effectScope, h, nextTick } from 'vue';
import { enableAutoUnmount, flushPromises } from '@vue/test-utils';

import type { SetView } from '@/api/client';
import LitView from '@/parts/LitView.vue';
import { useSession } from '@/stores/session';
import { answers, begin, changes, visit } from '@/tests/harness';

import { halvesOf } from './environment';
import { likingOf, linkOf, ofLink, USUAL, useLiking } from './kept';
import { modelOf } from './model';
import { across, fitted } from './sheet';
import { byName } from './surfaces';

vi.mock('@/api/client', async (original) => (await import('@/tests/harness')).fakeClient(original as never));
const shown: string[] = [];
vi.mock('./stage', () => ({
  Stage: class {
    camera = { fov: 30 };
    turns = { light: 0, object: 0 };
    view = '';
    dress() {
      return Promise.resolve('');
    }
    shape(kind: string) {
      shown.push(kind);
    }
    model(parts: unknown[]) {
      shown.push(`model of ${parts.length}`);
    }
    environment() {
      return Promise.resolve();
    }
    set() {}
    look() {}
    show() {}
    ground() {}
    wish() {}
    relief() {}
    turn() {}
    touch() {}
    oneLight() {}
    resize() {}
    end() {}
  },
}));

enableAutoUnmount(afterEach);
beforeEach(() => {
  begin();
  shown.length = 0;
  vi.stubGlobal(
    'ResizeObserver',
    class {
      observe() {}
      disconnect() {}
    },
  );
});

const TRIANGLE = 'v 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\n';
const obj = (text: string) => modelOf(new Blob([text]), 'pot.obj');

describe('packed light', () => {
  it('becomes halves without losing anything', () => {
    // Nine bits each of red, green, blue, and five of exponent: 2^(exponent − 24) is a step.
    const word = (red: number, green: number, blue: number, exponent: number) =>
      (red | (green << 9) | (blue << 18) | (exponent << 27)) >>> 0;
    const halves = halvesOf(
      new Uint32Array([word(256, 128, 511, 16), word(511, 0, 1, 24), word(3, 2, 1, 31)]),
    );
    expect([...halves].map((half) => DataUtils.fromHalfFloat(half))).toEqual([
      ...[1, 0.5, 511 / 256, 1],
      ...[511, 0, 1, 1],
      ...[384, 256, 128, 1],
    ]);
  });
});

describe('how somebody likes the stage', () => {
  it('is as usual where nothing or nonsense was kept', () => {
    expect(likingOf(null)).toEqual(USUAL);
    expect(likingOf('{"light": ')).toEqual(USUAL);
    const odd = likingOf('{"light": "far", "exposure": 2, "field": null, "own": 1}');
    expect(odd).toEqual({ ...USUAL, exposure: 2 });
  });
  it('takes nothing from a link or from storage that the stage could not show', () => {
    const odd = ofLink(
      'environment:workshop;shape:constructor;field:0;density:-4;exposure:900;behind:nowhere',
    );
    expect(odd?.liking).toEqual(USUAL);
    expect(likingOf('{"shape": "toString", "speed": 1e9}')).toEqual(USUAL);
  });
  it('is kept for the person, whichever page asked first and is closed by now', async () => {
    const scope = effectScope();
    setActivePinia(createPinia());
    useSession().user = 'lead';
    const liking = scope.run(useLiking);
    scope.stop();
    if (liking) liking.exposure = 2.5;
    await nextTick();
    expect(likingOf(localStorage.getItem('fair-texel-stage-lead')).exposure).toBe(2.5);
  });
  it('goes by a link, with the place of the eye', () => {
    const liking = { ...USUAL, shape: 'cloth' as const, exposure: -1.5, toned: false, light: 40 };
    expect(ofLink(linkOf(liking, '1,2,3,0,0,0'))).toEqual({ liking, eye: '1,2,3,0,0,0' });
    expect(ofLink('')).toBeNull();
    expect(ofLink('nonsense')).toBeNull();
  });
});

describe('a model', () => {
  it('has its parts told apart, in place, with tangents', async () => {
    const model = await obj(`${TRIANGLE}o lid\nf 1/1 2/2 3/3\no lid\nf 1/1 2/2 3/3\n`);
    expect(model.parts.map((part) => part.name)).toEqual(['lid', 'lid 2']);
    expect(model.triangles).toBe(2);
    expect(model.parts.every((part) => part.geometry.getAttribute('tangent'))).toBe(true);
    expect(model.notes).toEqual(['It has no tangents: they were made as MikkTSpace makes them.']);
  });
  it('is told of mirrored and overlapping texture coordinates', async () => {
    const { notes } = await obj(`${TRIANGLE}o sign\nf 1/1 2/3 3/2\no twice\nf 1/1 2/2 3/3\nf 1/1 2/2 3/3\n`);
    expect(notes[0]).toBe('Mirrored texture coordinates: sign. Words and signs are turned over there.');
    expect(notes[1]).toContain('Overlapping texture coordinates: twice.');
  });
  it('says plainly what it lacks', async () => {
    await expect(obj('v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n')).rejects.toThrow(
      'no mesh with texture coordinates',
    );
    await expect(obj(`${TRIANGLE.replace('v 1 0 0', 'v nan 0 0')}f 1/1 2/2 3/3\n`)).rejects.toThrow(
      'no numbers',
    );
    const nodes = JSON.stringify({ asset: { version: '2.0' }, nodes: Array(100_000).fill({}) });
    await expect(modelOf(new Blob([nodes]), 'forest.gltf')).rejects.toThrow(
      '100,000 nodes; 20,000 are the most',
    );
    await expect(modelOf(new Blob(['glTF']), 'torn.glb')).rejects.toThrow('is damaged');
  });
});

describe('a contact sheet', () => {
  it('is about as wide as high, and cuts names where they are alike', () => {
    expect([1, 2, 5, 60, 400].map(across)).toEqual([1, 2, 3, 8, 8]);
    const short = (text: string) => text.length <= 9;
    expect(fitted('oak_01', short)).toBe('oak_01');
    expect(fitted('wall_of_the_mill_03b', short)).toBe('wall…_03b');
    expect(fitted('wall', () => false)).toBe('…');
  });
});

describe('dressing by name', () => {
  const set = (name: string, id: number) => ({ name, wears: { set: id } });
  it('takes the one set that bears a part’s name or its material’s', () => {
    const parts = [
      { name: 'Fern-Planter', material: '' },
      { name: 'Cube.003', material: 'M_Moss bed' },
      { name: 'lamp', material: 'x' },
      { name: 'Door', material: '' },
    ];
    const choices = [set('fern_planter', 1), set('moss_bed', 2), set('vault_door', 3), set('hatch_door', 4)];
    // Two sets have a door in their name: nothing is guessed for it.
    expect([...byName(parts, choices)]).toEqual([
      [0, { set: 1 }],
      [1, { set: 2 }],
    ]);
  });
});

describe('a set on the stage', () => {
  const set = { id: 3, edit: 1, name: 'Oak', mesh: null } as unknown as SetView;
  async function lit(mayWork: boolean) {
    answers['GET /api/environments'] = [];
    answers['GET /api/sets/{set_id}/surface'] = { ready: false, missing: ['Roughness'], pictures: [] };
    const page = defineComponent({
      setup: () => () => h(LitView, { set, slug: 'mill', mayWork, large: false }),
    });
    return visit(page, 'maps');
  }
  async function choose(view: Awaited<ReturnType<typeof lit>>, name: string, text: string): Promise<void> {
    const input = view.get<HTMLInputElement>('[data-choose=mesh]');
    Object.defineProperty(input.element, 'files', { value: [new File([text], name)], configurable: true });
    await input.trigger('change');
    await vi.waitFor(() => expect(view.find('[role=status]').exists()).toBe(false));
    await flushPromises();
  }
  it('says what has no map', async () => {
    expect((await lit(true)).text()).toContain('Without a map: Roughness.');
  });
  it('keeps a mesh for those who may change the set, and shows it to all', async () => {
    const sent = vi.fn(() => Promise.resolve(Response.json({ id: 3, mesh: { name: 'pot.obj' } })));
    vi.stubGlobal('fetch', sent);
    const text = `${TRIANGLE}f 1/1 2/2 3/3\n`;
    await choose(await lit(false), 'pot.obj', text);
    expect(shown.at(-1)).toBe('model of 1');
    expect(sent).not.toHaveBeenCalled();
    await choose(await lit(true), 'pot.obj', text);
    expect(sent).toHaveBeenCalledWith('/api/sets/3/mesh', expect.objectContaining({ method: 'POST' }));
    expect(changes()).toEqual([]);
  });
  it('says what is wrong with a mesh', async () => {
    const view = await lit(true);
    await choose(view, 'bad.obj', 'v 0 0 0\n');
    expect(view.get('[role=alert]').text()).toBe('✕ bad.obj holds no mesh with texture coordinates.');
  });
});
