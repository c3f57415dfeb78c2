// Writing a sheet: each change alone, and what must hold after any row of changes.
import { describe, expect, it } from 'vitest';

import { words, written } from '@/tests/sheets';

import * as sheet from './sheet';

describe('what may stand in a chip', () => {
  const kinds = {
    paint: 'colour',
    rough: 'number',
    bump: 'direction',
    tint: 'colour',
    'colour map': 'colour',
  };
  it('is what fits its slot and stands above', () => {
    const all = sheet.namedAbove(written(), words, kinds, 2);
    const names = (slot: string, operation: string, typed = '') => {
      const found = words.operations
        .find(({ key }) => key === operation)
        ?.slots.find(({ name }) => name === slot);
      return found ? sheet.offered(all, found, typed).map(({ name }) => name) : [];
    };
    expect(names('a', 'multiply')).toEqual(['rough', 'paint', 'tint', 'time']);
    expect(names('texture', 'read')).toEqual(['colour map']);
    expect(names('place', 'read')).toEqual(['uv']);
    // What begins as typed comes before what merely holds it.
    expect(names('a', 'multiply', 't')).toEqual(['tint', 'time', 'rough', 'paint']);
  });
  it('may be a number, on or off, or a name', () => {
    expect(['0.5', '−2', '1,5', 'on', 'off', ' Paint ', ''].map(sheet.parsed)).toEqual([
      0.5,
      -2,
      1.5,
      true,
      false,
      'paint',
      null,
    ]);
    expect([0.5, -2, true, 'paint', null].map(sheet.inputWords)).toEqual(['0.5', '−2', 'on', 'paint', '']);
  });
});

describe('changing a sheet', () => {
  it('puts a row under another, fed by it', () => {
    const made = written();
    const name = sheet.insert(made, words, { rough: 'number' }, 2, 'invert');
    expect([name, made.strands[2]]).toEqual([
      'invert',
      {
        name: 'invert',
        group: 'roughness',
        operation: 'invert',
        block: '',
        inputs: { a: 'rough' },
        comment: '',
      },
    ]);
  });
  it('renames whatever it is everywhere', () => {
    const made = written();
    sheet.rename(made, 'paint', 'first coat');
    expect(made.strands.map(({ name }) => name)).toContain('first coat');
    expect(made.strands.find(({ name }) => name === 'tinted')?.inputs.a).toBe('first coat');
    sheet.rename(made, 'tinted', 'painted');
    expect(made.surface.base_colour).toBe('painted');
    sheet.rename(made, 'tint', 'hue');
    expect(JSON.stringify(made)).not.toContain('"tint"');
  });
  it('never makes a name that is taken, or that is none', () => {
    const made = written();
    expect(sheet.freeName(made, 'paint')).toBe('paint 2');
    expect(sheet.freeName(made, '  12 “Wet” Rock!')).toBe('wet rock');
    expect(sheet.freeName(made, 'UV', words)).toBe('uv 2');
    expect(sheet.freeName(made, '***')).toBe('strand');
  });
  it('moves rows, and copies them under themselves', () => {
    const made = written();
    sheet.move(made, 0, 2);
    expect(made.strands.map(({ name }) => name)).toEqual(['rough', 'tinted', 'paint']);
    expect(sheet.duplicate(made, 1)).toBe('tinted 2');
    (made.strands[2] as sheet.Strand).inputs.a = 'rough';
    expect(made.strands[1]?.inputs.a).toBe('paint');
  });
  it('keeps inputs that another operation has as well', () => {
    const made = written();
    sheet.operate(made, words, 2, 'mix');
    expect(made.strands[2]).toMatchObject({ operation: 'mix', inputs: { a: 'paint', b: 'tint' } });
    sheet.operate(made, words, 2, 'invert');
    expect(made.strands[2]?.inputs).toEqual({ a: 'paint' });
    expect(made.strands[2]?.name).toBe('tinted');
    sheet.setInput(made, 2, 'a', null);
    expect(made.strands[2]?.inputs).toEqual({});
  });
  it('calls a row by what it does while nobody has named it', () => {
    const made = written();
    sheet.insert(made, words, { rough: 'number' }, 3, 'multiply');
    expect(made.strands[3]?.name).toBe('multiply');
    sheet.operate(made, words, 3, 'mix');
    expect(made.strands[3]?.name).toBe('mix');
  });
  it('knows what feeds a row and what uses it', () => {
    const made = written();
    expect([...sheet.feeds(made, 'tinted')].sort()).toEqual(['colour map', 'paint', 'tint']);
    expect([...sheet.usesOf(made, 'tinted')]).toEqual(['base_colour']);
    expect([...sheet.usesOf(made, 'paint')]).toEqual(['tinted']);
  });
  it('shows groups as they begin, even one that comes twice', () => {
    const made = written();
    expect(sheet.grouped(made).map(({ group, rows }) => [group, rows.map(({ at }) => at)])).toEqual([
      ['base colour', [0]],
      ['roughness', [1]],
      ['base colour', [2]],
    ]);
  });
});
