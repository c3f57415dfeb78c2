// @vitest-environment happy-dom
// What is made of variants and models: sets of plain maps, and revisions to go back to.
import { flushPromises } from '@vue/test-utils';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { h } from 'vue';

import { answers, begin, visit } from '@/tests/harness';

import FlattenPart from './FlattenPart.vue';
import MeshRevisions from './MeshRevisions.vue';

vi.mock('@/api/client', async (original) => (await import('@/tests/harness')).fakeClient(original as never));
beforeEach(begin);

const job = (state: string, more: object = {}) => ({
  state,
  progress: 0.4,
  problem: '',
  way_out: '',
  ...more,
});
const LISTED = 'GET /api/variants/{variant_id}/flattenings';

describe('flattening', () => {
  async function part(props: object = {}) {
    const page = {
      render: () =>
        h(FlattenPart, {
          slug: 'mill',
          variant: 4,
          usual: 'Deck flat',
          ready: true,
          mayWork: true,
          ...props,
        }),
    };
    const view = await visit(page, 'maps');
    await flushPromises();
    return view;
  }
  function server() {
    const sent = vi.fn<(where: string, how: { body: FormData }) => Promise<Response>>(() =>
      Promise.resolve(Response.json({})),
    );
    vi.stubGlobal('fetch', sent);
    return () => Object.fromEntries(sent.mock.calls.at(-1)?.[1].body.entries() ?? []);
  }

  it('tells what was made, what is on its way, what failed and what was removed', async () => {
    answers[LISTED] = [
      { name: 'Deck', edge: 0, on_mesh: false, set_id: 7, job: job('done') },
      { name: 'Pot', edge: 512, on_mesh: true, set_id: null, job: job('running') },
      {
        name: 'Rail',
        edge: 0,
        on_mesh: false,
        set_id: null,
        job: job('failed', { problem: 'oak was changed after its last build.', way_out: 'Prove it.' }),
      },
      { name: 'Gone', edge: 0, on_mesh: true, set_id: null, job: job('done') },
    ];
    const view = await part();
    const lines = view.findAll('.made').map((line) => line.text().replace(/\s+/g, ' '));
    expect(lines[0]).toContain('over a square');
    expect(view.findAll('.made a').map((link) => link.text())).toEqual(['Deck']);
    expect(lines[1]).toContain('40 %');
    expect(lines[2]).toContain('✕ oak was changed after its last build. Prove it.');
    expect(lines[3]).toContain('over a mesh, its set was removed');
  });

  it('sends the mesh as it is painted, under the name that was typed', async () => {
    answers[LISTED] = [];
    const told = server();
    const view = await part({ mesh: () => Promise.resolve(new Blob(['glTF'])) });
    await view.get('[aria-label="Name of the flattened set"]').setValue('Painted pot');
    await view.get('form').trigger('submit');
    await flushPromises();
    expect(told()).toMatchObject({ name: 'Painted pot', edge: '1024' });
    expect(told().file).toBeInstanceOf(Blob);
    const flat = await part();
    await flat.get('form').trigger('submit');
    await flushPromises();
    expect(told()).toEqual({ name: 'Deck flat', edge: '0' });
  });

  it('says when a name is flattened again', async () => {
    answers[LISTED] = [{ name: 'Deck flat', edge: 0, on_mesh: false, set_id: 7, job: null }];
    const view = await part();
    expect(view.get('form button').text()).toBe('Flatten again');
    await view.get('[aria-label="Name of the flattened set"]').setValue('Deck two');
    expect(view.get('form button').text()).toBe('Flatten');
  });

  it('is asked for by nobody who may not, nor before the sets are built', async () => {
    answers[LISTED] = [];
    expect((await part({ mayWork: false })).find('section').exists()).toBe(false);
    const early = await part({ ready: false });
    expect(early.find('form').exists()).toBe(false);
    expect(early.text()).toContain('Prove its sets first');
  });
});

describe('revisions of a mesh', () => {
  const revision = (number: number, shown = false) => ({
    number,
    name: `pot ${number}.glb`,
    bytes: 1200,
    by: 'artist',
    created: '2026-11-02T10:00:00Z',
    shown,
  });
  async function opened(revisions: object[], mayWork = true) {
    const taken: number[] = [];
    const page = {
      render: () =>
        h(MeshRevisions, {
          revisions: revisions as never,
          mayWork,
          address: (number: number) => `/mesh?revision=${number}`,
          onShow: (number: number) => taken.push(number),
        }),
    };
    const view = await visit(page, 'maps');
    await view.find('button.link').trigger('click');
    await flushPromises();
    return { taken, view, list: () => [...document.querySelectorAll('.revision')] };
  }

  it('says which is shown, of how many, and when none is', async () => {
    const words = async (revisions: object[]) => (await opened(revisions)).view.get('button.link').text();
    expect(await words([revision(1, true)])).toBe('revision 1');
    expect(await words([revision(3), revision(2, true), revision(1)])).toBe('revision 2 of 3');
    expect(await words([revision(2), revision(1)])).toBe('2 revisions, none shown');
    expect(await words([revision(1)])).toBe('one revision, not shown');
  });

  it('shows another again, and lets everybody save each', async () => {
    const { taken, list } = await opened([revision(2, true), revision(1)]);
    expect(list().map((row) => row.querySelector('a')?.getAttribute('href'))).toEqual([
      '/mesh?revision=2',
      '/mesh?revision=1',
    ]);
    expect(list()[0]?.textContent).toContain('● shown');
    document.querySelector<HTMLButtonElement>('[aria-label="Show revision 1"]')?.click();
    expect(taken).toEqual([1]);
  });

  it('offers a guest none of them to show', async () => {
    await opened([revision(2, true), revision(1)], false);
    expect(document.querySelector('[aria-label="Show revision 1"]')).toBeNull();
    expect(document.querySelectorAll('.revision a')).toHaveLength(2);
  });
});
