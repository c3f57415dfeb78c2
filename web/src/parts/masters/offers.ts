// What is offered while somebody types into a cell of a sheet.
import type { Offer } from '@/parts/widgets/offer';

import type { Block } from './blocks';
import { namedAbove, offered, parsed, type Sheet, type Slot, type Words } from './sheet';

/** Blocks and operations that what was typed may mean, the best first; a block's value is “block” and its name. */
export function operationsFor(words: Words, blocks: readonly Block[], typed: string): Offer[] {
  const asked = typed.trim().toLowerCase();
  const rank = (title: string, also: string, meaning: string) => {
    if (title === asked) return 0;
    if (title.startsWith(asked)) return 1;
    if (` ${also}`.includes(` ${asked}`)) return 2;
    if (title.includes(asked)) return 3;
    return meaning.includes(asked) ? 4 : 9;
  };
  const made = blocks
    .filter(({ title, name }) => !asked || `${title.toLowerCase()} ${name} block`.includes(asked))
    .map(({ title, name, summary }) => ({ value: `block ${name}`, text: title, said: summary || 'a block' }));
  const plain = words.operations
    .map((operation) => ({
      entry: operation,
      rank: rank(operation.title, operation.also, operation.meaning.toLowerCase()),
    }))
    .filter(({ rank: found }) => found < 9)
    .sort((a, b) => a.rank - b.rank)
    .map(({ entry }) => ({ value: entry.key, text: entry.title, said: entry.meaning }));
  // An operation of just that name is meant; blocks come before what only holds what was typed.
  return plain[0]?.text === asked ? [...plain, ...made] : [...made, ...plain];
}

/** What may go into a slot of a row. */
export function inputsFor(
  sheet: Sheet,
  words: Words,
  kinds: Readonly<Record<string, string>>,
  at: number,
  slot: Slot,
  typed: string,
): Offer[] {
  // A number is a number, though some name may hold it.
  if (typeof parsed(typed) === 'number') return [];
  const named = offered(namedAbove(sheet, words, kinds, at), slot, typed).map(({ name, kind, said }) => ({
    value: name,
    text: name,
    said: [words.kinds[kind] ?? kind, said].filter(Boolean).join(' · '),
  }));
  const plain = slot.kind === 'switch' ? ['on', 'off'] : [];
  return [
    ...named,
    ...plain
      .filter((text) => text.startsWith(typed.trim()))
      .map((value) => ({ value, text: value, said: 'a plain switch' })),
  ];
}
