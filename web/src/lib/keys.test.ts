// @vitest-environment happy-dom
// Keys of a page, and whose they are while something has the focus.
import { mount } from '@vue/test-utils';
import { describe, expect, it } from 'vitest';
import { h } from 'vue';

import { KEYS, useKeys } from './keys';

describe('keys', () => {
  it('leave a focused button its own Enter, and a field all of them', () => {
    const pressed: string[] = [];
    const page = mount(
      {
        setup: () => useKeys({ Enter: () => pressed.push('enter'), j: () => pressed.push('j') }),
        render: () => [h('button', 'Undo'), h('input')],
      },
      { attachTo: document.body },
    );
    const press = (target: Element, key: string) =>
      target.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true }));
    press(page.get('button').element, 'Enter');
    press(page.get('button').element, 'j');
    press(page.get('input').element, 'j');
    press(document.body, 'Enter');
    expect(pressed).toEqual(['j', 'enter']);
    page.unmount();
    press(document.body, 'Enter');
    expect(pressed).toEqual(['j', 'enter']);
  });

  it('are listed once each', () => {
    const listed = KEYS.map((entry) => entry.keys);
    expect(new Set(listed).size).toBe(listed.length);
  });
});
