// @vitest-environment happy-dom
// A cell that is read as text and written by typing.
import { flushPromises, mount } from '@vue/test-utils';
import PrimeVue from 'primevue/config';
import { describe, expect, it } from 'vitest';
import { defineComponent, h } from 'vue';

import { ACTIONS, useActions } from '@/lib/page/keys';

import PickField from './PickField.vue';

const OFFERS = [
  { value: 'mix', text: 'mix', said: 'between two' },
  { value: 'multiply', text: 'multiply', said: 'times' },
];
function cell(props: object = {}) {
  const page = mount(PickField, {
    props: {
      text: 'mix',
      label: 'Operation',
      offers: (typed: string) => OFFERS.filter(({ text }) => text.startsWith(typed)),
      editable: true,
      ...props,
    },
    global: { plugins: [PrimeVue as never] },
    attachTo: document.body,
  });
  const input = () => page.find('input');
  async function type(text: string, key: string): Promise<void> {
    await input().setValue(text);
    await input().trigger('keydown', { key });
    await flushPromises();
  }
  return { page, input, type };
}

describe('a cell that is written', () => {
  it('is text until somebody types, and a letter begins it', async () => {
    const { page, input } = cell();
    expect(page.get('button').text()).toBe('mix');
    await page.get('button').trigger('keydown', { key: 'm' });
    await flushPromises();
    expect(input().element.value).toBe('m');
    await input().trigger('keydown', { key: 'Escape' });
    await flushPromises();
    expect(page.find('input').exists()).toBe(false);
    expect(page.emitted()).not.toHaveProperty('take');
    expect(document.activeElement).toBe(page.get('button').element);
  });

  it('takes every letter for itself: none is a deed of the page', async () => {
    const deeds: string[] = [];
    const keys = Object.values(ACTIONS)
      .flatMap((action) => action.keys)
      .filter((key) => key.length === 1 && key !== ' ');
    const field = { text: 'mix', label: 'Operation', offers: () => [], editable: true };
    const page = defineComponent(() => {
      useActions(Object.fromEntries(Object.keys(ACTIONS).map((id) => [id, () => deeds.push(id)])));
      return () => h(PickField, field);
    });
    for (const key of keys) {
      const around = mount(page, {
        global: { stubs: { AutoComplete: { render: () => h('i') } } },
        attachTo: document.body,
      });
      await around.get('button').trigger('keydown', { key });
      expect([key, deeds]).toEqual([key, []]);
      around.unmount();
    }
    const around = mount(page, { attachTo: document.body });
    document.body.dispatchEvent(new KeyboardEvent('keydown', { key: 'u', bubbles: true }));
    expect(deeds).toEqual(['undo']);
    around.unmount();
  });

  it('takes the best that is offered by enter, and a number as it is typed', async () => {
    const { page, type } = cell();
    await page.get('button').trigger('click');
    await type('mul', 'Enter');
    expect(page.emitted('take')).toEqual([['multiply']]);
    for (const typed of ['0.5', '0,5', 'on']) {
      await page.get('button').trigger('click');
      await type(typed, 'Enter');
    }
    expect(page.emitted('typed')).toEqual([['0.5'], ['0,5'], ['on']]);
    expect(page.emitted('take')).toHaveLength(1);
  });

  it('keeps what was typed when it is left, and says nothing where nothing changed', async () => {
    const { page, type } = cell();
    await page.get('button').trigger('click');
    await type('nothing like it', 'Tab');
    expect(page.emitted('typed')).toEqual([['nothing like it']]);
    await page.get('button').trigger('click');
    await type('mix', 'Tab');
    expect(page.emitted('typed')).toHaveLength(1);
  });

  it('says what is wrong, and is closed to whoever may only look', async () => {
    const { page } = cell({ text: '', empty: 'nothing', wrong: 'It needs a colour.', editable: false });
    const button = page.get('button');
    expect(button.attributes('aria-label')).toBe('Operation: nothing. It needs a colour.');
    await button.trigger('click');
    await button.trigger('keydown', { key: 'Enter' });
    expect(page.find('input').exists()).toBe(false);
    expect(button.attributes('tabindex')).toBe('-1');
  });
});
