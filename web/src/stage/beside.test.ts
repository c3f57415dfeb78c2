// @vitest-environment happy-dom
// What may stand beside a set or a variant, and what is said when it cannot; and likings that follow a person.
import { flushPromises } from '@vue/test-utils';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { createPinia, setActivePinia } from 'pinia';
import { computed, defineComponent, ref } from 'vue';

import type { SetView } from '@/api/client';
import { useSession } from '@/stores/session';
import { answers, begin, changes, visit } from '@/tests/harness';

import { useBeside, useVariantBeside } from './beside';
import { USUAL, useLiking } from './kept';

vi.mock('@/api/client', async (original) => (await import('@/tests/harness')).fakeClient(original as never));
beforeEach(begin);
afterEach(() => vi.useRealTimers());

/** What a page makes of its setup. */
async function within<T>(make: () => T): Promise<T> {
  let made: T | null = null;
  const page = defineComponent({
    setup() {
      made = make();
      return () => null;
    },
  });
  await visit(page, 'maps');
  await flushPromises();
  return made as unknown as T;
}

describe('beside a set', () => {
  async function beside() {
    answers['GET /api/projects/{slug}/targets'] = {
      targets: [{ name: 'orbit', title: 'Orbit', usual: true, for_all: true }],
    };
    answers['GET /api/projects/{slug}/board'] = {
      sets: [
        { id: 3, name: 'Oak', edit: 4 },
        { id: 5, name: 'Slate', edit: 2 },
      ],
      project: { title: 'Weir' },
    };
    answers['GET /api/sets/{set_id}/moments'] = [
      { at: '2026-11-26T10:00:00Z', what: 'Normal read as −Y', by: 'artist' },
      { at: '2026-11-25T10:00:00Z', what: 'Sorted by name and pixels', by: 'lead' },
    ];
    const set = ref({ id: 3, edit: 4, name: 'Oak' } as unknown as SetView);
    return within(() =>
      useBeside(
        set,
        computed(() => 'weir'),
      ),
    );
  }
  it('stands what is built, what it was before its last change, and every other set', async () => {
    const { others } = await beside();
    expect(others.value.map(({ title, choices }) => [title, choices.map(({ key }) => key)])).toEqual([
      ['Built and proved', ['target:orbit']],
      ['As it was', ['at:2026-11-25T10:00:00Z']],
      ['Another set', ['set:5']],
    ]);
    // It is named by the change that it is from before.
    expect(others.value[1]?.choices[0]?.text).toContain('Before: Normal read as −Y');
  });
  it('stands nothing until it is asked for, and then that alone', async () => {
    const { asked, other, why } = await beside();
    expect(other.value).toBeNull();
    answers['GET /api/sets/{set_id}/surface'] = { ready: true, set: 5, pictures: [], target: 'Orbit' };
    asked.value = 'set:5';
    await flushPromises();
    expect(other.value).toMatchObject({ set: 5 });
    asked.value = '';
    await flushPromises();
    expect([other.value, why.value]).toEqual([null, '']);
  });
  it('says why what is not proved cannot be seen as built', async () => {
    const { asked, other, why } = await beside();
    answers['GET /api/sets/{set_id}/surface'] = { ready: false, pictures: [], target: 'Orbit' };
    asked.value = 'target:orbit';
    await flushPromises();
    expect(other.value).toBeNull();
    expect(why.value).toBe('The set is not proved as it is now for Orbit: there are no blocks to show.');
  });
});

describe('beside a variant', () => {
  it('stands another variant, from its sources while its set is not proved', async () => {
    answers['GET /api/projects/{slug}/variants'] = [
      { id: 1, name: 'Door', master_title: 'Solid surface', version: 1 },
      { id: 2, name: 'Gate', master_title: 'Solid surface', version: 2 },
    ];
    answers['GET /api/variants/{variant_id}'] = { id: 2, ready: false };
    answers['GET /api/variants/{variant_id}/surface'] = { pictures: [] };
    const { asked, others, other, why } = await within(() =>
      useVariantBeside(
        1,
        computed(() => 'weir'),
      ),
    );
    expect(others.value[0]?.choices).toEqual([{ key: '2', text: 'Gate, Solid surface v2' }]);
    asked.value = '2';
    await flushPromises();
    expect([other.value, why.value]).toEqual([
      { pictures: [], seen: 'sources' },
      'The other one is shown from its sources: a set of it is not proved as it is now.',
    ]);
  });
});

describe('a liking', () => {
  function person(name: string): void {
    setActivePinia(createPinia());
    useSession().user = name;
  }
  it('comes from the server where this browser has another', async () => {
    person('mover');
    answers['GET /api/account/stage'] = { ...USUAL, shape: 'cube', exposure: 1.5 };
    const liking = useLiking();
    expect(liking).toEqual(USUAL);
    await flushPromises();
    expect(liking).toMatchObject({ shape: 'cube', exposure: 1.5 });
  });
  it('takes nothing from the server that the stage could not show', async () => {
    person('older');
    answers['GET /api/account/stage'] = { ...USUAL, shape: 'teapot', field: 900, light: 90 };
    const liking = useLiking();
    await flushPromises();
    expect(liking).toEqual({ ...USUAL, light: 90 });
  });
  it('is told to the server once a change has settled, and not taken back by an answer that is older', async () => {
    vi.useFakeTimers({ toFake: ['setTimeout', 'clearTimeout'] });
    person('quick');
    answers['GET /api/account/stage'] = { ...USUAL, exposure: -2 };
    const liking = useLiking();
    for (const exposure of [0.5, 1, 2]) {
      liking.exposure = exposure;
      await Promise.resolve();
    }
    await flushPromises();
    expect(liking.exposure).toBe(2);
    const told = () => changes().filter(({ path }) => path === '/api/account/stage');
    expect(told()).toEqual([]);
    vi.advanceTimersByTime(1000);
    expect(told().map(({ body }) => body)).toEqual([{ ...USUAL, exposure: 2 }]);
  });
});
