// @vitest-environment happy-dom
import { mount } from '@vue/test-utils';
import { describe, expect, it } from 'vitest';

import NumberField from './NumberField.vue';

function field(value: number | null, props: Record<string, unknown> = {}) {
  const shown = mount(NumberField, {
    props: {
      label: 'Tint',
      modelValue: value,
      'onUpdate:modelValue': (to: number | null) => shown.setProps({ modelValue: to }),
      ...props,
    },
    attachTo: document.body,
  });
  const input = shown.get('input');
  return {
    shown,
    input,
    /** Type into it and leave it. */
    async type(text: string) {
      await input.setValue(text);
      await input.trigger('change');
    },
    value: () => shown.props('modelValue'),
    text: () => input.element.value,
  };
}

describe('the number field', () => {
  it('takes a comma, a sum and a unit, and tells once that it is settled', async () => {
    const { shown, type, value, text } = field(1, { unit: '°', low: 0, high: 360 });
    await type('22,5');
    expect([value(), text()]).toEqual([22.5, '22.5°']);
    await type('1/4 turn');
    expect([value(), text()]).toEqual([90, '90°']);
    await type('90');
    expect(shown.emitted('settle')).toHaveLength(2);
  });

  it('keeps what is no number in the field, says why, and leaves the value', async () => {
    const { shown, input, type, value, text } = field(0.5);
    await type('half');
    expect([value(), text()]).toEqual([0.5, 'half']);
    expect(shown.get('[role=alert]').text()).toContain('“half” is not a number');
    expect(input.attributes('aria-invalid')).toBe('true');
    await input.trigger('keydown', { key: 'Escape' });
    expect(text()).toBe('0.5');
    expect(shown.find('[role=alert]').exists()).toBe(false);
  });

  it('says when a hard limit held a value back', async () => {
    const { shown, type, value } = field(1, { low: 0, high: 4, unit: '×' });
    await type('40');
    expect(value()).toBe(4);
    expect(shown.get('[role=status]').text()).toContain('40× is above the maximum, 4×.');
  });

  it('is stepped by keys: ten at once with shift, a tenth with alt, never beyond a limit', async () => {
    const { input, value } = field(0.5, { softLow: 0, softHigh: 1, high: 0.7 });
    await input.trigger('keydown', { key: 'ArrowUp' });
    expect(value()).toBe(0.51);
    await input.trigger('keydown', { key: 'ArrowDown', altKey: true });
    expect(value()).toBe(0.509);
    await input.trigger('keydown', { key: 'ArrowUp', shiftKey: true });
    expect(value()).toBe(0.609);
    await input.trigger('keydown', { key: 'PageUp' });
    expect(value()).toBe(0.7);
  });

  it('may be empty only where that means something', async () => {
    const limit = field(256, { empty: 'no limit', unit: 'MB' });
    await limit.type('');
    expect([limit.value(), limit.text()]).toEqual([null, '']);
    await limit.type('1,5 GB');
    expect([limit.value(), limit.text()]).toEqual([1536, '1536 MB']);
    const other = field(2);
    await other.type(' ');
    expect(other.value()).toBe(2);
    expect(other.shown.get('[role=alert]').text()).toContain('A number is missing');
  });
});
