// A master's sheet as it is written: what may stand where, and each change as a function on the document.
import type { Schemas } from '@/api/client';

export type Sheet = Schemas['Master'];
export type Strand = Schemas['Strand'];
export type Words = Schemas['SheetVocabulary'];
export type Slot = Schemas['SlotWord'];
export type Input = boolean | number | string;

/** What may be named in a sheet, with its kind, and where it comes from. */
export interface Named {
  name: string;
  kind: string;
  from: 'strand' | 'texture' | 'parameter' | 'mesh';
  said: string;
}

const ARITHMETIC = ['number', 'two', 'three', 'four', 'colour'];
const SEVERAL: Record<string, number> = { two: 2, place: 2, three: 3, colour: 3, direction: 3, four: 4 };

/** A draft may have been written by a program, and lack what pages count on. */
export function completed(document: object): Record<string, unknown> {
  const blank = {
    summary: '',
    layers: [],
    parameters: [],
    textures: [],
    strands: [],
    blocks: [],
    surface: {},
    comments: {},
  };
  const opacity = { mode: 'as the target', threshold: 0.5, two_sided: true };
  const made: Record<string, unknown> = { ...blank, opacity, ...document };
  // Drafts of an older version of the format know of no blocks.
  made.strands = (made.strands as object[]).map((strand) => ({ operation: '', block: '', ...strand }));
  return made;
}

/** Whether a kind may go into a slot: numbers widen to colours, places and pairs are alike. */
export function fits(slot: Slot, kind: string): boolean {
  if (slot.kind === 'same') return ARITHMETIC.includes(kind);
  if (slot.kind === 'any') return !['switch', 'choice', 'texture'].includes(kind);
  if (slot.kind === 'vector') return (SEVERAL[kind] ?? 1) >= slot.least;
  if (slot.kind === 'colour') return kind === 'colour' || kind === 'number';
  if (slot.kind === 'place' || slot.kind === 'two') return kind === 'place' || kind === 'two';
  return slot.kind === kind;
}

/** All that a sheet may name at a row, nearest first: strands above it, then textures, parameters and what the mesh brings. */
export function namedAbove(
  sheet: Sheet,
  words: Words,
  kinds: Readonly<Record<string, string>>,
  at: number,
): Named[] {
  const strands = sheet.strands
    .slice(0, at)
    .reverse()
    .flatMap(({ name, operation, block }) => {
      const outputs = sheet.blocks.find((entry) => entry.name === block)?.outputs ?? [];
      const names = [name, ...outputs.slice(1).map((output) => `${name}: ${output}`)];
      return names.map((said) => ({
        name: said,
        kind: kinds[said] ?? '',
        from: 'strand' as const,
        said: block ? `of the block ${block}` : operation,
      }));
    });
  const textures = sheet.textures.map(({ name, property, layer }) => ({
    name,
    kind: 'texture',
    from: 'texture' as const,
    said: layer ? `${property} of ${layer}` : property,
  }));
  const parameters = sheet.parameters.map(({ name, kind, label, group }) => ({
    name,
    kind,
    from: 'parameter' as const,
    said: [group, label].filter(Boolean).join(' · '),
  }));
  const mesh = words.mesh.map(({ name, kind, meaning }) => ({
    name,
    kind,
    from: 'mesh' as const,
    said: meaning,
  }));
  return [...strands, ...textures, ...parameters, ...mesh];
}

/** What fits a slot of a row and holds what was typed, the best first. A strand of unknown kind fits: it is being written as well. */
export function offered(all: readonly Named[], slot: Slot, typed: string): Named[] {
  const asked = typed.trim().toLowerCase();
  const good = all.filter((entry) => (entry.kind === '' ? slot.kind !== 'texture' : fits(slot, entry.kind)));
  const begins = good.filter(({ name }) => name.startsWith(asked));
  const holds = good.filter(
    ({ name, said }) => !name.startsWith(asked) && `${name} ${said}`.toLowerCase().includes(asked),
  );
  return [...begins, ...holds];
}

/** What was typed into a chip: a number, on or off, or a name; null where it is empty. */
export function parsed(typed: string): Input | null {
  const text = typed.trim().toLowerCase().replaceAll('−', '-');
  if (!text) return null;
  if (text === 'on' || text === 'off') return text === 'on';
  const number = Number(text.replace(',', '.'));
  return Number.isFinite(number) ? number : text;
}

/** An input as it is read on a chip. */
export function inputWords(input: Input | null | undefined): string {
  if (input === null || input === undefined) return '';
  if (typeof input === 'boolean') return input ? 'on' : 'off';
  return typeof input === 'number' ? String(input).replace('-', '−') : input;
}

export function namesOf(sheet: Sheet): Set<string> {
  return new Set([
    ...sheet.parameters.map(({ name }) => name),
    ...sheet.textures.map(({ name }) => name),
    ...sheet.strands.map(({ name }) => name),
  ]);
}

/** A text as a name: a few lower-case words of letters and digits. */
function plainName(wanted: string): string {
  const plain = wanted
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, ' ')
    .trim()
    .replace(/^[0-9 ]+/, '');
  return (plain || 'strand').split(' ').slice(0, 5).join(' ').slice(0, 36).trim();
}

/** A name like this one that nothing has yet. */
export function freeName(sheet: Sheet, wanted: string, words?: Words): string {
  const taken = namesOf(sheet);
  for (const { name } of words?.mesh ?? []) taken.add(name);
  const short = plainName(wanted);
  let name = short;
  for (let number = 2; taken.has(name); number++) name = `${short} ${number}`;
  return name;
}

/** A texture that no row reads yet, or the first, as the input of a slot. */
function unread(sheet: Sheet, slot: Slot): Record<string, Input> {
  const read = new Set(sheet.strands.map(({ inputs }) => inputs.texture));
  const taken = sheet.textures.find(({ name }) => !read.has(name)) ?? sheet.textures[0];
  return taken ? { [slot.name]: taken.name } : {};
}

/** Put a new row at a place, with what stands above it in its first slot, where that fits. Gives its name. */
export function insert(
  sheet: Sheet,
  words: Words,
  kinds: Readonly<Record<string, string>>,
  at: number,
  operation: string,
): string {
  const made = words.operations.find(({ key }) => key === operation);
  const above = sheet.strands[at - 1];
  const name = freeName(sheet, made?.title ?? operation, words);
  const inputs: Record<string, Input> = {};
  const first = made?.slots.find(({ default: usual }) => usual === null);
  if (first?.kind === 'texture') Object.assign(inputs, unread(sheet, first));
  else if (above && first && fits(first, kinds[above.name] ?? '')) inputs[first.name] = above.name;
  const group = above?.group ?? '';
  sheet.strands.splice(at, 0, { name, group, operation, block: '', inputs, comment: '' });
  return name;
}

/** Give a strand another operation; inputs that it has as well are kept. */
export function operate(sheet: Sheet, words: Words, at: number, operation: string): void {
  const strand = sheet.strands[at];
  const made = words.operations.find(({ key }) => key === operation);
  if (!strand || !made) return;
  const old = words.operations.find(({ key }) => key === strand.operation);
  const before = strand.inputs;
  const kept = Object.entries(before).filter(([slot]) => made.slots.some(({ name }) => name === slot));
  strand.inputs = Object.fromEntries(kept);
  // What went into the first slot goes on doing so, whatever that is called now.
  const [first, was] = [made.slots[0], old?.slots[0]];
  const input = was && before[was.name];
  if (first && was && input !== undefined && was.kind !== 'texture' && first.kind !== 'texture')
    strand.inputs[first.name] = input;
  if (first?.kind === 'texture' && strand.inputs[first.name] === undefined)
    Object.assign(strand.inputs, unread(sheet, first));
  strand.operation = operation;
  strand.block = '';
  sheet.blocks = sheet.blocks.filter(({ name }) => sheet.strands.some(({ block }) => block === name));
  // A row that was called by what it did is called by what it does.
  if (old && new RegExp(`^${plainName(old.title)}( \\d+)?$`).test(strand.name))
    rename(sheet, strand.name, freeName(sheet, made.title, words));
}

/** Set an input of a strand; null gives it back to its default. */
export function setInput(sheet: Sheet, at: number, slot: string, input: Input | null): void {
  const strand = sheet.strands[at];
  if (!strand) return;
  const rest = Object.fromEntries(Object.entries(strand.inputs).filter(([name]) => name !== slot));
  strand.inputs = input === null ? rest : { ...rest, [slot]: input };
}

/** The label that a parameter has while nobody has given it another. */
export function labelOf(name: string): string {
  return name.charAt(0).toUpperCase() + name.slice(1);
}

/** Let a texture read another property; a name that says which it read follows. */
export function readProperty(sheet: Sheet, at: number, property: string, words: Words): void {
  const texture = sheet.textures[at];
  if (!texture) return;
  const titleOf = (key: string) =>
    words.read.find((read) => read.key === key)?.title ?? key.replace('mask.', '');
  const [before, now] = [plainName(titleOf(texture.property)), plainName(titleOf(property))];
  texture.property = property as typeof texture.property;
  texture.constant = null;
  const bare = texture.name.replace(/ \d+$/, '');
  if (bare.split(before).length !== 2) return;
  const [from, wanted] = [texture.name, bare.replace(before, now)];
  // Its own name is no other's.
  texture.name = '';
  const to = freeName(sheet, wanted, words);
  texture.name = from;
  rename(sheet, from, to);
}

/** Rename whatever has a name, everywhere that it is named; what a block gives is named by its row, and a label that was made of
 * the name follows it. */
export function rename(sheet: Sheet, from: string, to: string): void {
  const called = (name: string) =>
    name === from ? to : name.startsWith(`${from}: `) ? to + name.slice(from.length) : name;
  for (const strand of sheet.strands) {
    if (strand.name === from) strand.name = to;
    for (const [slot, input] of Object.entries(strand.inputs))
      if (typeof input === 'string') strand.inputs[slot] = called(input);
  }
  for (const [key, name] of Object.entries(sheet.surface)) sheet.surface[key] = called(name);
  for (const parameter of sheet.parameters) {
    if (parameter.name === from) {
      if (!parameter.label || [from, from.replace(/ \d+$/, '')].map(labelOf).includes(parameter.label))
        parameter.label = labelOf(to);
      parameter.name = to;
    }
    if (parameter.only_with === from) parameter.only_with = to;
  }
  for (const texture of sheet.textures) if (texture.name === from) texture.name = to;
}

/** Rename a layer, and all textures of it. */
export function renameLayer(sheet: Sheet, from: string, to: string): void {
  for (const layer of sheet.layers) if (layer.name === from) layer.name = to;
  for (const texture of sheet.textures) if (texture.layer === from) texture.layer = to;
}

/** Copy a row under itself. Gives the new name. */
export function duplicate(sheet: Sheet, at: number): string {
  const strand = sheet.strands[at];
  if (!strand) return '';
  const name = freeName(sheet, strand.name.replace(/ \d+$/, ''));
  sheet.strands.splice(at + 1, 0, { ...strand, inputs: { ...strand.inputs }, name });
  return name;
}

/** Move a row to another place; it joins the group that it comes to lie in. */
export function move(sheet: Sheet, from: number, to: number): void {
  const [strand] = sheet.strands.splice(from, 1);
  if (!strand) return;
  const place = Math.max(0, Math.min(sheet.strands.length, to));
  sheet.strands.splice(place, 0, strand);
  const [above, below] = [sheet.strands[place - 1], sheet.strands[place + 1]];
  if (above && below && above.group === below.group) strand.group = above.group;
}

/** The row that gives what a name means: of what a block gives, the block's. */
export function rowOf(name: string): string {
  return name.split(':', 1)[0] ?? name;
}

/** The strands that a strand is made of, at any depth. */
export function feeds(sheet: Sheet, name: string): Set<string> {
  const strands = new Map(sheet.strands.map((strand) => [strand.name, strand]));
  const found = new Set<string>();
  const waiting = [name];
  for (let next = waiting.pop(); next !== undefined; next = waiting.pop()) {
    for (const input of Object.values(strands.get(next)?.inputs ?? {})) {
      if (typeof input !== 'string') continue;
      const source = rowOf(input);
      if (found.has(source) || source === name) continue;
      found.add(source);
      waiting.push(source);
    }
  }
  return found;
}

/** The strands that use a name directly, and the properties of the surface that come from it. */
export function usesOf(sheet: Sheet, name: string): Set<string> {
  const found = sheet.strands.filter(({ inputs }) =>
    Object.values(inputs).some((input) => typeof input === 'string' && rowOf(input) === name),
  );
  const given = Object.entries(sheet.surface).filter(([, from]) => rowOf(from) === name);
  return new Set([...found.map((strand) => strand.name), ...given.map(([key]) => key)]);
}

/** Groups in the order in which they begin, with their rows and the places of these in the document. */
export function grouped(sheet: Sheet): { group: string; rows: { strand: Strand; at: number }[] }[] {
  const groups: { group: string; rows: { strand: Strand; at: number }[] }[] = [];
  sheet.strands.forEach((strand, at) => {
    const last = groups.at(-1);
    if (last?.group === strand.group) last.rows.push({ strand, at });
    else groups.push({ group: strand.group, rows: [{ strand, at }] });
  });
  return groups;
}
