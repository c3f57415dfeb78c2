// @vitest-environment happy-dom
// The parts of dressing and delivering, by what they show and tell.
import { mount } from '@vue/test-utils';
import PrimeVue from 'primevue/config';
import { describe, expect, it } from 'vitest';

import type { DeliveryLine, Parameter } from '@/api/client';

import { written } from '@/tests/sheets';

import ParameterRow from './ParameterRow.vue';
import ReceiptView from '@/parts/deliveries/ReceiptView.vue';

const global = { plugins: [PrimeVue] };
const tint = written().parameters[0] as Parameter;

describe('a parameter', () => {
  it('tells every step of a drag, and settles once', async () => {
    const row = mount(ParameterRow, {
      global,
      props: { parameter: tint, mayWork: true, modelValue: [1, 1, 1] },
    });
    const field = row.get<HTMLInputElement>('input[type=color]');
    await field.setValue('#ff0000');
    expect(row.emitted('update:modelValue')?.at(-1)).toEqual([[1, 0, 0]]);
    expect(row.emitted('settle')).toHaveLength(1);
  });
  it('follows the master again when it has a value of its own, and not otherwise', async () => {
    const row = mount(ParameterRow, {
      global,
      props: { parameter: tint, mayWork: true, modelValue: [1, 0, 0] },
    });
    expect(row.classes()).toContain('own');
    await row.get('[aria-label="Reset Tint"]').trigger('click');
    expect(row.emitted('update:modelValue')?.at(-1)).toEqual([undefined]);
    // A value that was set is its own, also where the master has the same today.
    await row.setProps({ modelValue: [1, 1, 1] });
    expect(row.classes()).toContain('own');
    await row.setProps({ modelValue: undefined });
    expect(row.get('[aria-label="Reset Tint"]').attributes('disabled')).toBeDefined();
  });
});

describe('a receipt', () => {
  const receipt = {
    format: 'fair-texel-receipt',
    version: 1,
    target: 'orbit-desktop',
    holds: false,
    read: [
      {
        set: 'door',
        output: 'normal',
        file: 'door/n.dds',
        width: 4,
        height: 4,
        levels: 3,
        format: 'bc5',
        srgb: false,
      },
    ],
    properties: [
      { set: 'door', property: 'base_colour', unit: 'ΔE', mean: 0.4, worst: 3, holds: true, reading: '' },
      {
        set: 'door',
        property: 'normal',
        unit: '°',
        mean: 31.2,
        worst: 90,
        holds: false,
        reading: 'with green turned over',
      },
    ],
    findings: [{ severity: 'error', subject: 'Door', message: 'is wrong.', way_out: 'Deliver it again.' }],
  } as NonNullable<DeliveryLine['receipt']>;

  it('keeps what was read as meant apart from what the house allows', () => {
    const bounded = {
      ...receipt.properties[0],
      holds: true,
      within: false,
      allowed: 'mean ΔE 2, 95 % 5',
      expected: 5.6,
    };
    const levels = [
      {
        set: 'door',
        output: 'normal',
        level: 1,
        width: 2,
        height: 2,
        mean: 40,
        local: 60,
        expected: 1,
        holds: false,
      },
    ];
    const view = mount(ReceiptView, {
      props: { receipt: { ...receipt, properties: [bounded], levels } as typeof receipt },
    });
    const row = view.get('tbody tr').text();
    expect(row).toContain('yes');
    expect(row).toContain('over: mean ΔE 2, 95 % 5');
    expect(row).toContain('5.60');
    // A level that is not its base's average is said at its texture.
    expect(view.get('.read .soft').attributes('title')).toContain(
      'mip 1 (2 × 2): mean error against the average of its base 40.00 of 255',
    );
    expect(view.get('.read').find('[aria-label=wrong]').exists()).toBe(true);
  });
  it.each([
    ['base_colour', 'base colour'],
    ['base_colour.1002', 'base colour, tile 1002'],
    ['mask.flaked paint', 'mask flaked paint'],
    ['mask.1002', 'mask 1002'],
    ['mask..1002', 'mask, tile 1002'],
    ['mask.dirt.1001', 'mask dirt, tile 1001'],
  ])('says %s as “%s”', (property, said) => {
    const one = { ...receipt.properties[0], property };
    const view = mount(ReceiptView, {
      props: { receipt: { ...receipt, properties: [one] } as typeof receipt },
    });
    expect(view.get('tbody tr').text()).toContain(`${said} `);
  });
  it('says first whether it holds, then what is wrong and what would have fitted', () => {
    const text = mount(ReceiptView, { props: { receipt } }).text();
    expect(text).toContain('would not have been read as it was meant');
    expect(text.indexOf('Deliver it again.')).toBeLessThan(text.indexOf('base colour'));
    expect(text).toContain('with green turned over');
    expect(mount(ReceiptView, { props: { receipt: { ...receipt, holds: true } } }).text()).toContain(
      '✓ read as it was meant',
    );
  });
});
