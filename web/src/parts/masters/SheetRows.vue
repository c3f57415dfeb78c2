<script setup lang="ts">
// A sheet's rows, written by keyboard: each strand a row, its operation and inputs cells that are typed into.
import { computed, nextTick, ref } from 'vue';

import type { Schemas } from '@/api/client';
import { useChosen } from './chosen';
import { rounded } from '@/lib/values/numbers';
import { inputsFor, operationsFor } from './offers';
import {
  duplicate,
  feeds,
  freeName,
  grouped,
  insert,
  inputWords,
  move,
  operate,
  parsed,
  rename,
  rowOf,
  setInput,
  usesOf,
  type Sheet,
  type Slot,
  type Strand,
  type Words,
} from './sheet';

import {
  blockOf,
  doesWords,
  innerName,
  slotsOf as slotsIn,
  standFor,
  takeVersion,
  type Block,
  type StudioBlock,
} from './blocks';

import BlockRows from './BlockRows.vue';
import PickField from '@/parts/widgets/PickField.vue';

const props = defineProps<{
  sheet: Sheet;
  words: Words;
  kinds: Record<string, string>;
  problems: readonly Schemas['MasterProblem'][];
  cost: Schemas['MasterCost'] | null;
  /** What each row holds over the flat tile, and where its small picture lies. */
  held: Schemas['RowsTried'] | null;
  editable: boolean;
  mayPublish: boolean;
  /** The row whose value is on the stage. */
  pinned: string;
  /** The blocks of the studio, which any row may stand for. */
  studio: readonly StudioBlock[];
}>();
const emit = defineEmits<{
  change: [how: (sheet: Sheet) => void];
  pin: [name: string];
  /** Some rows are to become a block, a block its rows again, or one of the studio. */
  fold: [names: string[]];
  apart: [name: string];
  keep: [block: Block];
}>();

const lit = ref('');
const folded = ref(new Set<string>());
const commenting = ref('');
const root = ref<HTMLElement | null>(null);
const groups = computed(() => grouped(props.sheet));
const operations = computed(
  () => new Map(props.words.operations.map((operation) => [operation.key, operation])),
);
const upstream = computed(() => (lit.value ? feeds(props.sheet, lit.value) : new Set<string>()));
const downstream = computed(() => (lit.value ? usesOf(props.sheet, lit.value) : new Set<string>()));
const kindWord = (kind: string | undefined) => (kind ? (props.words.kinds[kind] ?? kind) : '');

/** What is wrong at a cell: its strand, and the slot or field; "" where nothing is. */
function wrongAt(at: number, ...place: string[]): string {
  const found = props.problems.find(
    (problem) =>
      problem.place[0] === 'strands' &&
      problem.place[1] === at &&
      place.every((part, index) => problem.place[index + 2] === part),
  );
  return found && found.place.length >= place.length + 2 ? `${found.message} ${found.way_out}` : '';
}
function rowWrong(at: number): string {
  const found = props.problems.find(({ place }) => place[0] === 'strands' && place[1] === at);
  return found ? `${found.message} ${found.way_out}` : '';
}
function slotsOf(strand: Strand): Slot[] {
  return slotsIn(props.sheet, props.words, strand);
}
const opened = ref(new Set<string>());
function open(name: string): void {
  const next = new Set(opened.value);
  if (!next.delete(name)) next.add(name);
  opened.value = next;
}
const { chosen, picked, choose, reach, none } = useChosen(() => props.sheet.strands.map(({ name }) => name));
function foldThem(name = ''): void {
  const names = picked.value.length ? picked.value : name ? [name] : [];
  if (!names.length) return;
  emit('fold', names);
  none();
}
/** The blocks that a row may stand for: those of the sheet, then those of the studio. */
const blocks = computed(() => [
  ...props.sheet.blocks,
  ...props.studio
    .map(({ document }) => document)
    .filter(({ name }) => !props.sheet.blocks.some((held) => held.name === name)),
]);
function does(at: number, value: string): void {
  const block = blocks.value.find(({ name }) => value === `block ${name}`);
  emit('change', (sheet) =>
    block ? standFor(sheet, props.words, at, block) : operate(sheet, props.words, at, value),
  );
}
function shown(strand: Strand, slot: Slot): string {
  return inputWords(strand.inputs[slot.name] ?? slot.default);
}
function take(at: number, slot: string, typed: string): void {
  emit('change', (sheet) => setInput(sheet, at, slot, parsed(typed)));
}
function called(at: number, typed: string): void {
  const before = props.sheet.strands[at]?.name;
  if (!before || typed.trim() === before) return;
  let made = before;
  emit('change', (sheet) => {
    made = freeName(sheet, typed, props.words);
    rename(sheet, before, made);
  });
  if (props.pinned === before) emit('pin', made);
}
/** The row at a place is at hand again after what was done. */
async function go(name: string, cell = ''): Promise<void> {
  await nextTick();
  const row = [...(root.value?.querySelectorAll<HTMLElement>('[data-strand]') ?? [])].find(
    (entry) => entry.dataset.strand === name,
  );
  const found = cell ? row?.querySelector<HTMLElement>(cell) : row;
  found?.focus();
  if (cell) found?.click();
}
function add(at: number): void {
  let made = '';
  emit('change', (sheet) => {
    made = insert(sheet, props.words, props.kinds, at, 'multiply');
  });
  void go(made, '[data-cell=operation] button');
}
function remove(at: number): void {
  const next = props.sheet.strands[at + 1] ?? props.sheet.strands[at - 1];
  emit('change', (sheet) => sheet.strands.splice(at, 1));
  if (next) void go(next.name);
}
function shift(at: number, by: number): void {
  const name = props.sheet.strands[at]?.name ?? '';
  emit('change', (sheet) => move(sheet, at, at + by));
  void go(name);
}
function copy(at: number): void {
  let made = '';
  emit('change', (sheet) => {
    made = duplicate(sheet, at);
  });
  void go(made);
}
function key(event: KeyboardEvent, at: number, strand: Strand): void {
  // Cells have their own keys.
  if (event.target !== event.currentTarget) return;
  const command = event.ctrlKey || event.metaKey;
  if (event.key === 'p' && !command) pin(strand);
  else if (!props.editable) return;
  else if (event.key === 'o' && !command && strand.block) open(strand.name);
  else if (event.shiftKey && event.key === 'ArrowDown') void go(reach(at, 1));
  else if (event.shiftKey && event.key === 'ArrowUp') void go(reach(at, -1));
  else if (event.key === 'b' && !command) foldThem(strand.name);
  else if (event.key === 'Escape' && chosen.value.size) none();
  else if (event.key === 'Enter') add(at + 1);
  else if (event.key === 'F2') void go(strand.name, '[data-cell=name] button');
  else if (event.key === 'Delete' || event.key === 'Backspace') remove(at);
  else if (event.altKey && event.key === 'ArrowDown') shift(at, 1);
  else if (event.altKey && event.key === 'ArrowUp') shift(at, -1);
  else if (command && event.key.toLowerCase() === 'd') copy(at);
  else if (event.key === 'c' && !command) commenting.value = strand.name;
  else return;
  event.preventDefault();
  event.stopPropagation();
}
function comment(at: number, text: string): void {
  emit('change', (sheet) => {
    const strand = sheet.strands[at];
    if (strand) strand.comment = text.trim();
  });
  commenting.value = '';
}
function renameGroup(from: string, rows: readonly { at: number }[], to: string): void {
  emit('change', (sheet) => {
    for (const { at } of rows) {
      const strand = sheet.strands[at];
      if (strand) strand.group = to.trim();
    }
    const said = sheet.comments[from];
    if (said !== undefined) sheet.comments = { ...sheet.comments, [to.trim()]: said };
  });
}
function explain(group: string, said: string): void {
  emit('change', (sheet) => {
    const rest = Object.entries(sheet.comments).filter(([other]) => other !== group);
    sheet.comments = Object.fromEntries(said.trim() ? [...rest, [group, said.trim()]] : rest);
  });
}
function fold(group: string): void {
  const next = new Set(folded.value);
  if (!next.delete(group)) next.add(group);
  folded.value = next;
}
const dragged = ref(-1);
function drop(at: number): void {
  if (dragged.value >= 0 && dragged.value !== at) {
    const from = dragged.value;
    emit('change', (sheet) => move(sheet, from, at));
  }
  dragged.value = -1;
}
/** What is seen of a row: of a block, the first of what it gives. */
function seenOf(strand: Strand): string {
  const first = blockOf(props.sheet, strand)?.outputs[0];
  return first ? innerName(strand.name, first) : strand.name;
}
function pin(strand: Strand): void {
  const name = seenOf(strand);
  emit('pin', props.pinned === name ? '' : name);
}
const figures = computed(
  () => new Map((props.held?.rows ?? []).map((row, index) => [row.strand, { ...row, index }])),
);
function tile(name: string): Record<string, string> | null {
  const found = figures.value.get(name);
  if (!found || !props.held) return null;
  const edge = props.held.edge;
  return {
    backgroundImage: `url(data:image/png;base64,${props.held.picture})`,
    backgroundPosition: `0 -${found.index * edge}px`,
    width: `${edge}px`,
    height: `${edge}px`,
  };
}
function range(name: string): string {
  const found = figures.value.get(name);
  if (!found) return '';
  return found.low === found.high
    ? `${rounded(found.low)} everywhere`
    : `${rounded(found.low)} to ${rounded(found.high)}`;
}
function costOf(strand: Strand): string {
  const cost = props.cost?.strands.find((entry) => entry.strand === strand.name);
  if (!cost) return '';
  if (!cost.used) return 'Nothing uses it: it costs nothing.';
  return `${cost.reads ? `${cost.reads} texture ${cost.reads === 1 ? 'read' : 'reads'}, ` : ''}${cost.arithmetic} steps`;
}
defineExpose({ add, go });
</script>

<template>
  <div ref="root" v-rove class="rows">
    <section v-for="{ group, rows } in groups" :key="`${group} ${rows[0]?.at}`">
      <h2 class="soft">
        <button type="button" class="plain" :aria-expanded="!folded.has(group)" @click="fold(group)">
          {{ folded.has(group) ? '▸' : '▾' }}
        </button>
        <PickField
          :text="group"
          empty="no group"
          label="Group"
          look="plain"
          :editable="editable"
          :offers="() => []"
          @typed="renameGroup(group, rows, $event)"
        />
        <span v-if="folded.has(group)" class="mono faint">{{ rows.length }} rows</span>
        <PickField
          class="said"
          :text="sheet.comments[group] ?? ''"
          :empty="editable ? 'say what it is for' : ''"
          :label="`What ${group || 'this group'} is for`"
          look="plain"
          :editable="editable"
          :offers="() => []"
          @typed="explain(group, $event)"
        />
      </h2>
      <div v-if="!folded.has(group)" role="table" :aria-label="`Strands: ${group || 'no group'}`">
        <div
          v-for="{ strand, at } in rows"
          :key="at"
          class="strand"
          data-rove
          role="row"
          :draggable="editable"
          :data-strand="strand.name"
          :class="{
            lit: lit === strand.name,
            feeds: upstream.has(strand.name),
            uses: downstream.has(strand.name),
            wrong: !!rowWrong(at),
            pinned: pinned === seenOf(strand),
            chosen: chosen.has(strand.name),
          }"
          :aria-selected="chosen.has(strand.name)"
          @click.shift.prevent="choose(strand.name)"
          @focus="lit = strand.name"
          @blur="lit = ''"
          @keydown="key($event, at, strand)"
          @dragstart="dragged = at"
          @dragover.prevent
          @drop.prevent="drop(at)"
        >
          <span role="cell">
            <button
              type="button"
              class="tile"
              :style="tile(seenOf(strand)) ?? {}"
              :aria-pressed="pinned === seenOf(strand)"
              :aria-label="`Show ${strand.name} on the stage`"
              :title="range(seenOf(strand)) || 'Show it on the stage'"
              tabindex="-1"
              @click="pin(strand)"
            />
          </span>
          <span role="cell" data-cell="name" class="name">
            <PickField
              :text="strand.name"
              label="Name"
              look="mono bare"
              :editable="editable"
              :offers="() => []"
              :wrong="wrongAt(at, 'name')"
              @typed="called(at, $event)"
            />
          </span>
          <span
            role="cell"
            data-cell="operation"
            :title="operations.get(strand.operation)?.meaning ?? blockOf(sheet, strand)?.summary"
          >
            <button
              v-if="strand.block"
              type="button"
              class="plain"
              :aria-expanded="opened.has(strand.name)"
              :aria-label="`Look inside ${strand.name}`"
              tabindex="-1"
              @click="open(strand.name)"
            >
              {{ opened.has(strand.name) ? '▾' : '▸' }}
            </button>
            <PickField
              :text="doesWords(sheet, words, strand)"
              label="Operation"
              look="bare"
              :editable="editable"
              :offers="(typed) => operationsFor(words, blocks, typed)"
              :wrong="wrongAt(at, 'operation') || wrongAt(at, 'block')"
              @take="does(at, $event)"
            />
          </span>
          <span role="cell" class="chips">
            <span v-for="slot in slotsOf(strand)" :key="slot.name" class="cell">
              <span class="slot faint">{{ slot.name.replaceAll('_', ' ') }}</span>
              <PickField
                :class="{
                  lit: lit && rowOf(shown(strand, slot)) === lit,
                  usual: strand.inputs[slot.name] === undefined,
                }"
                :text="shown(strand, slot)"
                :label="`${slot.name.replaceAll('_', ' ')} of ${strand.name}`"
                :editable="editable"
                :offers="(typed) => inputsFor(sheet, words, kinds, at, slot, typed)"
                :wrong="wrongAt(at, 'inputs', slot.name)"
                @take="take(at, slot.name, $event)"
                @typed="take(at, slot.name, $event)"
                @light="lit = $event ? rowOf(shown(strand, slot)) : ''"
              />
            </span>
          </span>
          <span role="cell" class="mono faint gives" :title="costOf(strand)">{{
            kindWord(kinds[strand.name])
          }}</span>
          <p v-if="rowWrong(at)" class="problem" role="alert">✕ {{ rowWrong(at) }}</p>
          <p v-if="strand.comment && commenting !== strand.name" class="comment soft">{{ strand.comment }}</p>
          <input
            v-if="commenting === strand.name"
            class="comment"
            :value="strand.comment"
            maxlength="300"
            :aria-label="`Comment on ${strand.name}`"
            autofocus
            @keydown.enter="comment(at, ($event.target as HTMLInputElement).value)"
            @keydown.esc="commenting = ''"
            @blur="comment(at, ($event.target as HTMLInputElement).value)"
          />
          <BlockRows
            v-if="opened.has(strand.name) && blockOf(sheet, strand)"
            :sheet="sheet"
            :words="words"
            :strand="strand"
            :block="blockOf(sheet, strand)!"
            :studio="studio"
            :kinds="kinds"
            :pinned="pinned"
            :editable="editable"
            :may-publish="mayPublish"
            :tile="tile"
            @pin="emit('pin', $event)"
            @apart="emit('apart', strand.name)"
            @keep="emit('keep', blockOf(sheet, strand)!)"
            @renew="(block) => emit('change', (draft) => takeVersion(draft, block))"
          />
        </div>
      </div>
    </section>
    <p v-if="picked.length && editable" class="picked" role="status">
      {{ picked.length }} {{ picked.length === 1 ? 'row' : 'rows' }} chosen
      <button type="button" class="plain link" @click="foldThem()">
        Make a block of {{ picked.length === 1 ? 'it' : 'them' }}…
      </button>
      <button type="button" class="plain link" @click="none">Choose none</button>
    </p>
    <button v-if="editable" type="button" class="plain link" @click="add(sheet.strands.length)">
      Add a row
    </button>
  </div>
</template>

<style scoped>
h2 {
  display: flex;
  gap: 8px;
  align-items: baseline;
  font-weight: 500;
  padding: 14px 0 4px;
  border-bottom: 1px solid var(--ink);
}
.said {
  font-size: 12px;
}
.strand {
  display: grid;
  grid-template-columns: 26px minmax(96px, 132px) minmax(64px, 88px) 1fr 68px;
  gap: 2px 8px;
  align-items: center;
  min-height: 30px;
  padding: 2px 4px;
  border-bottom: 1px solid var(--rule);
}
.strand:focus-visible {
  outline: 2px solid var(--ink);
  outline-offset: -2px;
}
.strand.lit {
  background: var(--wash);
}
.strand.feeds {
  box-shadow: inset 3px 0 0 var(--verdigris);
}
.strand.uses {
  box-shadow: inset 3px 0 0 var(--ochre);
}
.strand.pinned {
  background: color-mix(in srgb, var(--ochre) 12%, transparent);
}
.strand.chosen {
  background: color-mix(in srgb, var(--verdigris) 14%, transparent);
}
.picked {
  position: sticky;
  bottom: 0;
  display: flex;
  gap: 16px;
  padding: 8px 4px;
  background: var(--paper);
  border-top: 1px solid var(--ink);
}
.tile {
  width: 24px;
  height: 24px;
  border: 0;
  padding: 0;
  background: var(--well) no-repeat;
  cursor: pointer;
  display: block;
}
.name {
  overflow-wrap: anywhere;
}
.chips {
  display: flex;
  flex-wrap: wrap;
  gap: 3px 8px;
}
.cell {
  display: inline-flex;
  align-items: center;
  gap: 4px;
}
.slot {
  font-size: 11px;
}
.cell :deep(.usual) {
  opacity: 0.62;
}
.cell :deep(.lit) {
  background: var(--ochre);
  color: #fff;
}
.gives {
  text-align: right;
  font-size: 11px;
}
.problem,
.comment {
  grid-column: 2 / -1;
  font-size: 12px;
}
.problem {
  color: var(--madder);
}
.link {
  margin: 12px 0;
}
</style>
