import { describe, expect, it } from 'vitest';

import { held, readNumber, stepOf, written } from './numbers';

function value(text: string, unit = ''): number | string {
  const read = readNumber(text, unit);
  return 'value' in read ? read.value : read.problem;
}

describe('numbers as people type them', () => {
  it.each([
    // A comma or a point parts the decimals.
    ['1,5', '', 1.5],
    ['1.5', '', 1.5],
    ['-0,25', '', -0.25],
    ['−0.25', '', -0.25],
    ['–3', '', -3],
    ['+4', '', 4],
    [',5', '', 0.5],
    ['.5', '', 0.5],
    ['5,', '', 5],
    ['0.123456789', '', 0.123456789],
    ['1e-3', '', 0.001],
    ['2,5E2', '', 250],
    // Thousands.
    ['1,234.5', '', 1234.5],
    ['1.234,5', '', 1234.5],
    ['1 234', '', 1234],
    ['1 234,5', '', 1234.5],
    ['1’234’567', '', 1234567],
    ['1,234,567', '', 1234567],
    ['1.234.567', '', 1234567],
    // One comma is always a decimal comma, so that 1,234 and 1,23 are read alike.
    ['1,234', '', 1.234],
    // Sums.
    ['1/3', '', 1 / 3],
    ['2*0.5', '', 1],
    ['2 × 0,5', '', 1],
    ['1 + 2 * 3', '', 7],
    ['(1 + 2) * 3', '', 9],
    ['10 - 2 - 3', '', 5],
    ['-(0,5 + 1)', '', -1.5],
    ['1/4 + 1/4', '', 0.5],
    ['0.1 + 0.2', '', 0.3],
    // Units: the field's own, those that turn into it, and none.
    ['45', '°', 45],
    ['45°', '°', 45],
    ['1/4 turn', '°', 90],
    ['3.14159265358979 rad', '°', 180],
    ['25 %', '', 0.25],
    ['25 %', '%', 25],
    ['5 cm', 'm', 0.05],
    ['1,5 GB', 'MB', 1536],
    ['34 dB', 'dB', 34],
    ['2 levels', 'levels', 2],
  ])('reads %s in a field with “%s” as %d', (text, unit, wanted) => {
    expect(value(text, unit)).toBeCloseTo(wanted, 9);
  });

  it.each([
    ['', ''],
    ['abc', ''],
    ['1..5', ''],
    ['1,2,3', ''],
    ['1 2', ''],
    ['1,23,456', ''],
    ['1.234,567.8', ''],
    ['1/0', ''],
    ['(1', ''],
    ['1)', ''],
    ['1 +', ''],
    ['*2', ''],
    ['5 kg', 'm'],
    ['5 m', '°'],
    ['0x10', ''],
    ['NaN', ''],
    ['Infinity', ''],
    ['1e999', ''],
    ['#ff0000', ''],
    ['--', ''],
  ])('refuses “%s” in a field with “%s”, and says what it takes instead', (text, unit) => {
    const said = String(value(text, unit));
    expect(said).toMatch(/Type one such as 0\.5, 0,5 or 1\/3/);
    if (text) expect(said).toContain(`“${text}”`);
  });

  it('keeps as many digits as were typed, and shows them again', () => {
    for (const text of ['0.125', '0.123456789', '1234567.25', '−0.00001', '15', '0.1', '1e-7']) {
      expect(value(written(Number(value(text))))).toBe(value(text));
    }
    expect(written(0.1 + 0.2)).toBe('0.3');
    expect(written(-2)).toBe('−2');
  });

  it('is held back by hard limits, and says so with both numbers', () => {
    expect(held(5, { low: 0, high: 4 }, '×')).toEqual({ value: 4, note: '5× is above the maximum, 4×.' });
    expect(held(-1.5, { low: 0 })).toEqual({ value: 0, note: '−1.5 is below the minimum, 0.' });
    expect(held(2.4, { whole: true })).toEqual({ value: 2, note: 'Only whole numbers: 2.4 became 2.' });
    expect(held(2, { low: 0, high: 4, whole: true })).toEqual({ value: 2, note: '' });
    expect(held(0, { low: null, high: null })).toEqual({ value: 0, note: '' });
  });

  it('steps by a hundredth of a range', () => {
    expect(stepOf(0, 1)).toBeCloseTo(0.01);
    expect(stepOf(0, 360)).toBeCloseTo(1);
    expect(stepOf(0, 4)).toBeCloseTo(0.01);
    expect(stepOf(1, 8192, true)).toBe(1);
    expect(stepOf(null, 1)).toBe(0.1);
  });
});
