// @vitest-environment happy-dom
// A list that acts: what is chosen is done once, and the words stand there again.
import { mount } from '@vue/test-utils';
import PrimeVue from 'primevue/config';
import Select from 'primevue/select';
import { describe, expect, it } from 'vitest';

import ActList from './ActList.vue';

const options = [
  { value: '', text: 'with no successor' },
  { value: 'oak', text: 'Oak takes its place' },
];
const list = () =>
  mount(ActList, {
    props: { words: 'Deprecate it…', options },
    global: { plugins: [PrimeVue] },
    attachTo: document.body,
  });

describe('a list that acts', () => {
  it('does what is chosen, an empty value too, and goes back to its words', async () => {
    const page = list();
    const select = page.getComponent(Select);
    for (const value of ['oak', '', 'oak']) await select.vm.$emit('update:modelValue', value);
    expect(page.emitted('choose')).toEqual([['oak'], [''], ['oak']]);
    expect(page.text()).toContain('Deprecate it…');
    expect(select.props('modelValue')).toBeNull();
  });

  it('does nothing when nothing is chosen', async () => {
    const page = list();
    await page.getComponent(Select).vm.$emit('update:modelValue', null);
    expect(page.emitted('choose')).toBeUndefined();
  });

  it('is called by its words, without their dots, or by what it does', async () => {
    const page = list();
    const named = () => page.get('[role=combobox]').attributes('aria-label');
    expect(named()).toBe('Deprecate it');
    await page.setProps({ label: 'Deprecate this master' });
    expect(named()).toBe('Deprecate this master');
  });
});
