// @vitest-environment happy-dom
// Actions by their keys: which press belongs to the page, and which to what has the focus.
import { mount } from '@vue/test-utils';
import { afterEach, describe, expect, it } from 'vitest';
import { h } from 'vue';

import { ACTIONS, listed, offeredNow, useActions } from './keys';

const pressed: string[] = [];
const PAGE = `
  <button id="button">b</button><input id="text" /><input id="box" type="checkbox" />
  <span id="closed" role="combobox" aria-expanded="false" tabindex="0">list</span>
  <span id="open" role="combobox" aria-expanded="true" tabindex="0">list</span>
  <button id="cell" data-takes-text>2</button><p id="edited" contenteditable="true">x</p>
  <div role="dialog"><b id="inside">x</b></div><i id="plain">x</i>`;

function page() {
  pressed.length = 0;
  const handlers = Object.fromEntries(
    ['build', 'swapWell', 'open', 'next'].map((id) => [id, () => pressed.push(id)]),
  );
  return mount(
    { setup: () => (useActions(handlers), () => h('div', { innerHTML: PAGE })) },
    { attachTo: document.body },
  );
}
function press(where: string, key: string, more: object = {}): boolean {
  const event = new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true, ...more });
  document.getElementById(where)?.dispatchEvent(event);
  return event.defaultPrevented;
}
let shown: ReturnType<typeof page>;
afterEach(() => shown.unmount());

describe('keys', () => {
  it.each([
    ['plain', 'b', ['build']],
    ['plain', ' ', ['swapWell']],
    // Space and enter press what has the focus; letters do not.
    ['button', ' ', []],
    ['button', 'Enter', []],
    ['button', 'b', ['build']],
    ['box', ' ', []],
    ['box', 'b', ['build']],
    ['text', 'b', []],
    ['inside', 'b', []],
    // A list that was just closed leaves letters to the page; an open one searches by them, and a cell is written by them.
    ['closed', 'b', ['build']],
    ['cell', 'b', []],
    ['edited', 'b', []],
    ['closed', ' ', []],
    ['open', 'b', []],
  ])('on %s, “%s” does %j', (where, key, done) => {
    shown = page();
    expect(press(where, key)).toBe(done.length > 0);
    expect(pressed).toEqual(done);
  });

  it('leave the browser its own, and stop when the page goes', () => {
    shown = page();
    press('plain', 'b', { ctrlKey: true });
    expect(pressed).toEqual([]);
    shown.unmount();
    press('plain', 'b');
    expect(pressed).toEqual([]);
    shown = page();
  });

  it('are offered by name for as long as their part is there', () => {
    shown = page();
    expect(offeredNow().map(({ id }) => id)).toEqual(['build', 'swapWell', 'open', 'next']);
    shown.unmount();
    expect(offeredNow()).toEqual([]);
    shown = page();
  });

  it('stand in the list with what they do; on one page no two do different things', () => {
    const lines = listed().flatMap(({ lines }) => lines);
    expect(lines.every(({ keys, does }) => keys && /^[A-Z]/.test(does))).toBe(true);
    for (const where of ['the board', 'a set', 'maps closely', 'a variant', 'arrivals'] as const) {
      const here = Object.values(ACTIONS).filter((entry) => [where, 'everywhere'].includes(entry.where));
      const keys = here.flatMap((entry) => entry.keys);
      expect(new Set(keys).size, where).toBe(keys.length);
    }
  });
});
