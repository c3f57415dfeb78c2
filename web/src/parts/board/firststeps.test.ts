// @vitest-environment happy-dom
// The five steps of a new project: seen on a board that was empty, ticked as they are done, gone for good after a delivery.
import { mount } from '@vue/test-utils';
import { beforeEach, describe, expect, it } from 'vitest';

import type { Board } from '@/api/client';
import FirstSteps from './FirstSteps.vue';

const set = (proved: boolean, delivered: string) => ({
  proved,
  cells: { dressed: { state: 'none' }, delivered: { state: delivered } },
});
const board = (sets: object[], questions = 0) =>
  ({ sets, project: { questions, open_files: 0 }, target: { title: 'Orbit desktop' } }) as unknown as Board;
const look = (shown: Board) =>
  mount(FirstSteps, {
    props: { slug: 'weir', board: shown },
    global: { stubs: { RouterLink: true } },
  });
const ticked = (page: ReturnType<typeof look>) => page.findAll('li').map((step) => step.classes('done'));

describe('the first steps', () => {
  beforeEach(() => localStorage.clear());
  it('are not shown where somebody has begun before', () => {
    expect(look(board([set(false, 'none')])).text()).toBe('');
  });
  it('are ticked as they are done, and gone once something was delivered', async () => {
    const page = look(board([]));
    expect(ticked(page)).toEqual([false, false, false, false, false]);
    await page.setProps({ board: board([set(false, 'none')], 2) });
    expect(ticked(page)).toEqual([true, false, false, false, false]);
    await page.setProps({ board: board([set(true, 'none')]) });
    expect(ticked(page)).toEqual([true, true, true, false, false]);
    await page.setProps({ board: board([set(true, 'holds')]) });
    expect(page.text()).toBe('');
    expect(look(board([])).text()).toBe('');
  });
});
