// Blocks in a sheet: what goes into one, what comes out of it, and taking one of the studio's.
import type { Schemas } from '@/api/client';

import { freeName, rename, type Sheet, type Slot, type Strand, type Words } from './sheet';

export type Block = Sheet['blocks'][number];
export type StudioBlock = Schemas['BlockLine'];

export function blockOf(sheet: Sheet, strand: Strand): Block | undefined {
  return strand.block ? sheet.blocks.find(({ name }) => name === strand.block) : undefined;
}

/** What goes into a row: its operation's inputs, or its block's. */
export function slotsOf(sheet: Sheet, words: Words, strand: Strand): Slot[] {
  if (!strand.block) return words.operations.find(({ key }) => key === strand.operation)?.slots ?? [];
  return (blockOf(sheet, strand)?.inputs ?? []).map(({ name, kind, texture, default: usual }) => ({
    name,
    kind: texture ? 'texture' : kind,
    default: usual ?? null,
    least: 2,
  }));
}

/** What a row does, in a word: its operation, or its block with the version that it was taken at. */
export function doesWords(sheet: Sheet, words: Words, strand: Strand): string {
  if (!strand.block)
    return words.operations.find(({ key }) => key === strand.operation)?.title ?? strand.operation;
  const block = blockOf(sheet, strand);
  if (!block) return strand.block;
  return block.version ? `${block.title} v${block.version}` : block.title;
}

/** What a strand inside a block is called outside of it. */
export function innerName(strand: string, inner: string): string {
  return `${strand}: ${inner}`;
}

/** Let a sheet hold a block; one of its name that is there already stays as it is. */
function hold(sheet: Sheet, block: Block): void {
  if (!sheet.blocks.some(({ name }) => name === block.name)) sheet.blocks = [...sheet.blocks, block];
}

/** Blocks that no row uses any more go. */
function tidy(sheet: Sheet): void {
  const used = new Set(sheet.strands.map(({ block }) => block));
  sheet.blocks = sheet.blocks.filter(({ name }) => used.has(name));
}

/** Let a row stand for a block. A row that was called by what it did is called by what it does. */
export function standFor(sheet: Sheet, words: Words, at: number, block: Block): void {
  const strand = sheet.strands[at];
  if (!strand) return;
  const was = doesWords(sheet, words, strand);
  hold(sheet, block);
  strand.operation = '';
  strand.block = block.name;
  const known = new Set(block.inputs.map(({ name }) => name));
  strand.inputs = Object.fromEntries(Object.entries(strand.inputs).filter(([name]) => known.has(name)));
  if (strand.name.replace(/ \d+$/, '') === was.toLowerCase())
    rename(sheet, strand.name, freeName(sheet, block.title, words));
  tidy(sheet);
}

/** Take another version of a block, wherever it is used. */
export function takeVersion(sheet: Sheet, block: Block): void {
  sheet.blocks = sheet.blocks.map((held) => (held.name === block.name ? block : held));
}

/** A block of this sheet is the studio's now, under its name there. */
export function keptAs(sheet: Sheet, from: string, block: Block): void {
  for (const strand of sheet.strands) if (strand.block === from) strand.block = block.name;
  const others = sheet.blocks.filter(({ name }) => name !== from && name !== block.name);
  sheet.blocks = [...others, block];
}

/** The studio's newer version of a block that a sheet holds; undefined where there is none. */
export function newerOf(studio: readonly StudioBlock[], block: Block): StudioBlock | undefined {
  return studio.find(
    ({ name, latest }) => block.version > 0 && name === block.name && latest > block.version,
  );
}
