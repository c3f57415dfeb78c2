// @vitest-environment happy-dom
// What becomes of a whole set, and of what the studio keeps: what is asked for, and what cannot be asked for by mistake.
import { flushPromises } from '@vue/test-utils';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { defineComponent, h, type Component } from 'vue';

import SetShape from '@/parts/set/SetShape.vue';
import SpacePart from '@/parts/studio/SpacePart.vue';
import { answers, begin, changes, press, visit } from '@/tests/harness';

vi.mock('@/api/client', async (original) => (await import('@/tests/harness')).fakeClient(original as never));
beforeEach(begin);

const part = (component: Component, props: object): Component =>
  defineComponent({ setup: () => () => h(component, props) });
const line = (property: string, title: string) => ({
  property,
  title,
  row: {},
  file: { name: `${property}.png` },
});
const VIEW = {
  id: 7,
  name: 'oak',
  edit: 4,
  surface: true,
  lines: [line('normal', 'Normal'), line('height', 'Height')],
  left_out: [{ file: '9', why: 'A double.' }],
  files: [{ id: 9, name: 'oak_old.png' }],
};
/** The dialog lies beside the page. */
const dialog = () => document.querySelector<HTMLElement>('.p-dialog');
const button = (label: string) =>
  [...document.querySelectorAll<HTMLButtonElement>('.p-dialog button')].find(
    (entry) => entry.textContent?.trim() === label,
  );

describe('what becomes of a set', () => {
  it('is split by rows and left-out files, and neither nothing nor everything can go', async () => {
    answers['GET /api/projects/{slug}/board'] = { sets: [], folders: [], wants: {} };
    answers['POST /api/sets/{set_id}/split'] = { id: 8, name: 'bark', project: 'weir' };
    const page = await visit(part(SetShape, { view: VIEW, slug: 'weir' }), 'board');
    await press(page, 'Split this set');
    expect(dialog()?.textContent).toContain('A packed map that both read stays with oak.');
    const boxes = [...document.querySelectorAll<HTMLInputElement>('.p-dialog input[type=checkbox]')];
    const name = document.querySelector<HTMLInputElement>(
      '.p-dialog input[aria-label="Name of the new set"]',
    );
    if (name) name.value = 'bark';
    name?.dispatchEvent(new Event('input'));
    await flushPromises();
    expect(button('Split')?.disabled).toBe(true);
    boxes[0]?.click();
    boxes[2]?.click();
    await flushPromises();
    expect(button('Split')?.disabled).toBe(false);
    boxes[1]?.click();
    await flushPromises();
    expect(button('Split')?.disabled).toBe(true);
    boxes[1]?.click();
    await flushPromises();
    dialog()?.querySelector('form')?.dispatchEvent(new Event('submit'));
    await flushPromises();
    expect(changes()[0]).toMatchObject({
      path: '/api/sets/{set_id}/split',
      params: { query: { seen: 4 } },
      body: { rows: ['normal'], left_out: [9], name: 'bark' },
    });
  });

  it('offers no merging where there is no other set, and no copy where there is no other project', async () => {
    answers['GET /api/projects/{slug}/board'] = { sets: [{ id: 7, name: 'oak' }], folders: [], wants: {} };
    const said: boolean[] = [];
    const page = await visit(
      part(SetShape, {
        view: { ...VIEW, lines: [VIEW.lines[0]] },
        slug: 'weir',
        onSurface: (is: boolean) => said.push(is),
      }),
      'board',
    );
    expect(page.findAll('button').map((entry) => entry.text())).toEqual([
      'Treat as masks and details, not a surface',
      'Remove this set',
    ]);
    await press(page, 'Treat as masks and details, not a surface');
    expect(said).toEqual([false]);
  });
});

describe('what the studio keeps', () => {
  const space = (days: number) => ({
    kinds: [
      { key: 'sources', count: 3, bytes: 2_000_000, again: false },
      { key: 'pictures', count: 0, bytes: null, again: true },
    ],
    projects: [{ slug: 'weir', title: 'Weir', sources: 3, bytes: 2_000_000 }],
    retention: { builds: 1, days, deliveries: 0 },
  });

  it('is said in bytes, and what storage does not say is not made up', async () => {
    answers['GET /api/studio/space'] = space(30);
    const page = await visit(part(SpacePart, {}), 'board');
    expect(page.text()).toContain('2.00 MB in all');
    expect(page.text()).toContain('not known');
  });

  it('is kept for as long as somebody says, and saving is of use only then', async () => {
    answers['GET /api/studio/space'] = space(30);
    answers['PUT /api/studio/retention'] = space(90);
    const page = await visit(part(SpacePart, {}), 'board');
    const save = () => page.findAll('button').find((entry) => entry.text() === 'Save');
    expect(save()?.attributes('disabled')).toBeDefined();
    const field = page.get<HTMLInputElement>('input[aria-label="Days for which it is kept"]');
    await field.setValue('90');
    await field.trigger('change');
    await field.trigger('blur');
    await page.get('form').trigger('submit');
    await flushPromises();
    expect(changes()[0]?.body).toEqual({ builds: 1, days: 90, deliveries: 0 });
    expect(save()?.attributes('disabled')).toBeDefined();
  });
});
