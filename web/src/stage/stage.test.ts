// @vitest-environment happy-dom
// What surrounds the stage: how it is liked and told by a link, light as it is packed, models, and what their parts wear.
import {
  BufferAttribute,
  DataUtils,
  Mesh,
  PlaneGeometry,
  SphereGeometry,
  Vector3,
  type MeshStandardMaterial,
} from 'three';
import { MeshoptEncoder } from 'meshoptimizer';
import { GLTFExporter } from 'three/examples/jsm/exporters/GLTFExporter.js';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { createPinia, setActivePinia } from 'pinia';
import { defineComponent, effectScope, h, nextTick } from 'vue';
import { flushPromises } from '@vue/test-utils';

import { withMaterials } from '@/api/arriving';
import type { SetView } from '@/api/client';
import LitView from '@/parts/look/LitView.vue';
import { useSession } from '@/stores/session';
import { answers, begin, changes, visit } from '@/tests/harness';

import { halvesOf } from './environment';
import { likingOf, linkOf, ofLink, USUAL, useLiking } from './kept';
import { modelOf } from './model';
import { FarToNear } from './order';
import { across, fitted } from './sheet';
import { byName } from './surfaces';

vi.mock('@/api/client', async (original) => (await import('@/tests/harness')).fakeClient(original as never));
const shown: string[] = [];
vi.mock('./stage', () => ({
  Stage: class {
    eye = { camera: { fov: 30 }, view: '' };
    turns = { light: 0, object: 0 };
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
  it('takes an OBJ’s colours from its MTL, and says what lies beside that', async () => {
    const text = `${TRIANGLE}usemtl glaze\nf 1/1 2/2 3/3\nusemtl clay\nf 1/1 2/2 3/3\n`;
    const alone = await obj(text);
    expect(alone.notes.join(' ')).toContain('choose the .mtl together with the .obj');
    const mtl =
      'newmtl glaze\nKd 1 0 0\nNs 6\nd 0.5\nmap_Kd glaze.png\nnewmtl clay\nKd 0.5 0.5 0.5\nKd x y z\n';
    const { parts, notes } = await modelOf(new Blob([text]), 'pot.obj', { mtl });
    expect(notes.join(' ')).toContain('names 1 picture beside it');
    const glaze = parts.find((part) => part.material === 'glaze')?.own as MeshStandardMaterial;
    expect(glaze.color.toArray()).toEqual([1, 0, 0]);
    expect(glaze.roughness).toBeCloseTo(Math.sqrt(2 / 8), 6);
    expect(glaze.opacity).toBe(0.5);
    expect(parts.map((part) => part.colour.getHex())).not.toContain(undefined);
    expect(new Set(parts.map((part) => part.colour.getHex())).size).toBe(2);
  });
  it('has its second set of texture coordinates looked at, with tangents of its own', async () => {
    const gltf = await new Promise<ArrayBuffer>((resolve, reject) => {
      const geometry = new PlaneGeometry(1, 1);
      const turned = geometry.getAttribute('uv').clone() as BufferAttribute;
      for (let at = 0; at < turned.count; at++) turned.setXY(at, turned.getY(at), 1 - turned.getX(at));
      geometry.setAttribute('uv1', turned);
      geometry.setAttribute('color', new BufferAttribute(new Float32Array(turned.count * 4).fill(0.25), 4));
      new GLTFExporter().parse(
        new Mesh(geometry),
        (made) => resolve(new TextEncoder().encode(JSON.stringify(made)).buffer),
        reject,
      );
    });
    const along = async (second: boolean) => {
      const model = await modelOf(new Blob([gltf]), 'leaf.gltf', { second });
      expect(model.sets).toBe(2);
      const geometry = model.parts[0]?.geometry;
      // Colours are shown by the stage, and tint nothing.
      expect(geometry?.getAttribute('paint').getX(0)).toBeCloseTo(0.25, 6);
      return [0, 1, 2].map((part) =>
        Math.round(geometry?.getAttribute('tangent').getComponent(0, part) ?? 9),
      );
    };
    expect(await along(false)).toEqual([1, 0, 0]);
    expect(await along(true)).toEqual([0, 1, 0]);
  });
  it('is read where meshopt packed it; Draco is refused by its name, and what does not show is said', async () => {
    await MeshoptEncoder.ready;
    const corners = [0, 0, 0, 0, 0, 1, 0, 0, 1, 0, 0, 1, 0, 0, 1];
    const packed = MeshoptEncoder.encodeGltfBuffer(
      new Uint8Array(Float32Array.from(corners).buffer),
      3,
      20,
      'ATTRIBUTES',
    );
    const meshopt = { buffer: 0, byteLength: packed.length, byteStride: 20, count: 3, mode: 'ATTRIBUTES' };
    const told = (more: object) => {
      const body = {
        asset: { version: '2.0' },
        scenes: [{ nodes: [0] }],
        nodes: [{ mesh: 0 }],
        meshes: [{ primitives: [{ attributes: { POSITION: 0, TEXCOORD_0: 1 } }] }],
        accessors: [
          { bufferView: 0, componentType: 5126, type: 'VEC3', count: 3 },
          { bufferView: 0, byteOffset: 12, componentType: 5126, type: 'VEC2', count: 3 },
        ],
        bufferViews: [
          { buffer: 1, byteLength: 60, byteStride: 20, extensions: { EXT_meshopt_compression: meshopt } },
        ],
        buffers: [
          { byteLength: packed.length, uri: `data:;base64,${btoa(String.fromCharCode(...packed))}` },
          { byteLength: 60, extensions: { EXT_meshopt_compression: { fallback: true } } },
        ],
        extensionsUsed: ['EXT_meshopt_compression'],
        extensionsRequired: ['EXT_meshopt_compression'],
        ...more,
      };
      return modelOf(new Blob([JSON.stringify(body)]), 'leaf.gltf');
    };
    const { parts, notes } = await told({ skins: [{ joints: [0] }] });
    expect(parts[0]?.triangles).toBe(1);
    expect([...(parts[0]?.geometry.getAttribute('uv').array ?? [])]).toEqual([0, 0, 1, 0, 0, 1]);
    expect(notes.join(' ')).toContain('It has a skin');
    await expect(told({ extensionsUsed: ['KHR_draco_mesh_compression'] })).rejects.toThrow(
      'compressed with Draco (KHR_draco_mesh_compression)',
    );
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
    const gltf = (accessor: object, buffer = {}) =>
      modelOf(
        new Blob([
          JSON.stringify({
            asset: { version: '2.0' },
            scenes: [{ nodes: [0] }],
            nodes: [{ mesh: 0 }],
            meshes: [{ primitives: [{ attributes: { POSITION: 0 } }] }],
            accessors: [{ bufferView: 0, componentType: 5126, type: 'VEC3', count: 3, ...accessor }],
            bufferViews: [{ buffer: 0, byteLength: 36 }],
            buffers: [{ byteLength: 36, uri: `data:;base64,${btoa('x'.repeat(36))}`, ...buffer }],
          }),
        ]),
        'odd.gltf',
      );
    // More points than there are bytes, a type that there is none of, a view that is not there, a file that lies elsewhere.
    for (const odd of [{ count: 4000 }, { type: 'VEC9' }, { bufferView: 7 }, { componentType: 1 }])
      await expect(gltf(odd)).rejects.toThrow(/damaged|no mesh|no numbers/);
    await expect(gltf({}, { uri: 'https://example.invalid/points.bin' })).rejects.toThrow('stands alone');
  });
});

describe('chosen files', () => {
  it('are models, each .obj with the .mtl of its name or the only one', () => {
    const files = ['pot.obj', 'Lid.OBJ', 'lid.mtl', 'vat.glb'].map((name) => new File([''], name));
    const names = withMaterials(files).map(({ file, beside }) => [file.name, beside?.name]);
    expect(names).toEqual([
      ['pot.obj', undefined],
      ['Lid.OBJ', 'lid.mtl'],
      ['vat.glb', undefined],
    ]);
    const only = withMaterials([new File([''], 'pot.obj'), new File([''], 'colours.mtl')]);
    expect(only[0]?.beside?.name).toBe('colours.mtl');
  });
});

describe('what is seen through', () => {
  it('lies from far to near before every eye, with each of its triangles once', () => {
    const geometry = new SphereGeometry(1, 24, 16);
    const before = [...(geometry.index?.array ?? [])];
    const order = new FarToNear(geometry);
    const place = geometry.getAttribute('position');
    for (const eye of [new Vector3(0, 0, 4), new Vector3(3, -2, 1), new Vector3(-0.2, 5, 0)]) {
      order.arrange(eye);
      const corners = [...(geometry.index?.array ?? [])];
      const distances = Array.from({ length: order.triangles }, (_, at) => {
        const middle = new Vector3();
        for (const corner of corners.slice(at * 3, at * 3 + 3))
          middle.add(new Vector3().fromBufferAttribute(place, corner).divideScalar(3));
        return middle.distanceTo(eye);
      });
      const step = (Math.max(...distances) - Math.min(...distances)) / 16_000;
      distances.slice(1).forEach((far, at) => expect(far).toBeLessThanOrEqual((distances[at] ?? 0) + step));
      const triangles = (index: number[]) =>
        Array.from({ length: index.length / 3 }, (_, at) => index.slice(at * 3, at * 3 + 3).join()).sort();
      expect(triangles(corners)).toEqual(triangles(before));
    }
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
  async function lit(mayWork: boolean, mesh: object | null = null) {
    const set = { id: 3, edit: 1, name: 'Oak', mesh } as unknown as SetView;
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
    // The reader is loaded when it is first needed.
    await vi.waitFor(() => expect(view.find('[role=status]').exists()).toBe(false), { timeout: 30_000 });
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
    expect(changes().filter(({ path }) => path !== '/api/account/stage')).toEqual([]);
  });
  it('fetches the revision that was just shown, not the one that the page still knows', async () => {
    const line = {
      number: 1,
      name: 'old.obj',
      bytes: 9,
      by: '',
      created: '2026-11-02T10:00:00Z',
      shown: false,
    };
    const newer = { ...line, number: 2, name: 'pot.obj', shown: true };
    answers['GET /api/sets/{set_id}/meshes'] = [newer, line];
    const shownNow = { id: 3, edit: 2, mesh: { name: 'old.obj', sha256: 'f'.repeat(64) } };
    answers['POST /api/sets/{set_id}/meshes/{number}/show'] = shownNow;
    const text = `${TRIANGLE}f 1/1 2/2 3/3\n`;
    const sent = vi.fn<(where: string) => Promise<Response>>(() => Promise.resolve(new Response(text)));
    vi.stubGlobal('fetch', sent);
    const view = await lit(true, { name: 'pot.obj', sha256: 'a'.repeat(64) });
    await choose(view, 'pot.obj', text);
    sent.mockClear();
    await view.get('.own button').trigger('click');
    await flushPromises();
    document.querySelector<HTMLButtonElement>('[aria-label="Show revision 1"]')?.click();
    await vi.waitFor(() => expect(sent).toHaveBeenCalled());
    expect(sent.mock.calls[0]?.[0]).toBe(`/api/sets/3/mesh?v=${'f'.repeat(12)}`);
  });
  it('says what is wrong with a mesh', async () => {
    const view = await lit(true);
    await choose(view, 'bad.obj', 'v 0 0 0\n');
    expect(view.get('[role=alert]').text()).toBe('✕ bad.obj holds no mesh with texture coordinates.');
  });
});
