// @vitest-environment happy-dom
// Which of a project's targets is looked at: what stands below it never moves under somebody's hand.
import { beforeEach, expect, it, vi } from 'vitest';
import { defineComponent, h } from 'vue';

import { answers, begin, visit } from '@/tests/harness';

import LookedAt from './LookedAt.vue';

vi.mock('@/api/client', async (original) => (await import('@/tests/harness')).fakeClient(original as never));
beforeEach(begin);

const target = (name: string, usual: boolean) => ({ name, title: `The ${name}`, usual, for_all: true });
const side = defineComponent({ setup: () => () => h(LookedAt, { slug: 'weir' }) });
async function shown(counted: number, targets: object[] | null) {
  answers['GET /api/projects'] = [{ slug: 'weir', title: 'Weir', role: 'lead', targets: counted }];
  answers['GET /api/projects/{slug}/targets'] = targets ? { targets } : new Promise(() => undefined);
  return visit(side, 'board');
}

it('has its room before the targets are known, and says the usual one once they are', async () => {
  expect((await shown(2, null)).find('.p-select').exists()).toBe(true);
  const page = await shown(2, [target('mill', true), target('orbit', false)]);
  expect(page.get('.p-select').text()).toBe('The mill');
  const select = page.getComponent({ name: 'Select' });
  const texts = (select.props('options') as { text: string }[]).map(({ text }) => text);
  expect(texts).toEqual(['The mill', 'The orbit', 'All targets']);
});

it('takes no room where there is one target, also once another was given up', async () => {
  expect((await shown(1, null)).find('.p-select').exists()).toBe(false);
  expect((await shown(2, [target('mill', true)])).find('.p-select').exists()).toBe(false);
  expect((await shown(1, [target('mill', true), target('orbit', false)])).find('.p-select').exists()).toBe(
    true,
  );
});
