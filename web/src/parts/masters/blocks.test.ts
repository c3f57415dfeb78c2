// Blocks in a sheet: what they are given, what they are called, and what follows when they change.
import { describe, expect, it } from 'vitest';

import { block, blocked, words, written } from '@/tests/sheets';

import { doesWords, keptAs, newerOf, slotsOf, standFor, takeVersion, type StudioBlock } from './blocks';
import { operationsFor } from './offers';
import { completed, feeds, namedAbove, rename, usesOf, type Sheet, type Strand } from './sheet';

const rowNamed = (sheet: Sheet, name: string) => sheet.strands.find((row) => row.name === name) as Strand;

describe('a block in a sheet', () => {
  it('is given what it declares, and named by what it gives', () => {
    const sheet = blocked();
    expect(slotsOf(sheet, words, rowNamed(sheet, 'edge')).map(({ name, kind }) => [name, kind])).toEqual([
      ['amount', 'number'],
      ['map', 'texture'],
    ]);
    expect(doesWords(sheet, words, rowNamed(sheet, 'edge'))).toBe('Soften v2');
    const named = namedAbove(sheet, words, { 'edge: rim': 'number' }, 4).map(({ name }) => name);
    expect(named.slice(0, 2)).toEqual(['edge', 'edge: rim']);
    expect([...feeds(sheet, 'last')]).toEqual(expect.arrayContaining(['edge', 'rough']));
    expect([...usesOf(sheet, 'edge')]).toEqual(['last']);
  });
  it('is renamed wherever what it gives is named', () => {
    const sheet = blocked();
    sheet.surface.roughness = 'edge: soft';
    rename(sheet, 'edge', 'border');
    expect(rowNamed(sheet, 'last').inputs.a).toBe('border: rim');
    expect(sheet.surface.roughness).toBe('border: soft');
    expect(rowNamed(sheet, 'border').inputs.amount).toBe('rough');
  });
  it('takes the place of an operation and goes with its last row', () => {
    const sheet = written();
    standFor(sheet, words, 1, block);
    expect(sheet.strands[1]).toMatchObject({ block: 'soften', operation: '', inputs: {} });
    expect(sheet.blocks).toEqual([block]);
    const other = { ...block, name: 'other', title: 'Other', inputs: [] };
    standFor(sheet, words, 1, other);
    expect(sheet.blocks.map(({ name }) => name)).toEqual(['other']);
  });
  it('becomes the studio’s, and is moved to its newer versions', () => {
    const sheet = blocked();
    keptAs(sheet, 'soften', { ...block, name: 'border', version: 4 });
    expect(rowNamed(sheet, 'edge').block).toBe('border');
    const line = { name: 'border', latest: 5 } as StudioBlock;
    expect(newerOf([line], sheet.blocks[0] as typeof block)).toBe(line);
    takeVersion(sheet, { ...block, name: 'border', version: 5 });
    expect(newerOf([line], sheet.blocks[0] as typeof block)).toBeUndefined();
  });
  it('is offered where an operation is typed, after one of just that name', () => {
    const texts = (typed: string) => operationsFor(words, [block], typed).map(({ text }) => text);
    expect(texts('sof')).toEqual(['Soften']);
    expect(texts('mix')[0]).toBe('mix');
    // By the words of shading languages, too.
    expect(texts('lerp')).toEqual(['mix']);
    expect(operationsFor(words, [block], '')[0]?.value).toBe('block soften');
  });
  it('is unknown to drafts of an older format, which are completed', () => {
    const old = completed({ strands: [{ name: 'a', group: '', operation: 'invert', inputs: {} }] });
    expect(old.blocks).toEqual([]);
    expect((old.strands as Strand[])[0]?.block).toBe('');
  });
});
