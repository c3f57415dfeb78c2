<script setup lang="ts">
// One output of a target: its channels as cells that lie on what they hold, and beside them what it is written and stored as.
import { computed, nextTick, ref, toRef } from 'vue';

import {
  readMeaning,
  type OutputTried,
  type TargetChannel,
  type TargetDocument,
  type TargetProblem,
  type Vocabulary,
} from '@/api/targets';
import { FORMATS } from '@/api/formats.generated';
import { ApiError } from '@/api/client';
import { useDraftPicture } from './draftpicture';
import { bytesWords } from '@/lib/values/format';
import { cellNotes, cellWords, filled, problemsAt } from './targetwords';

import StateGlyph from '@/parts/widgets/StateGlyph.vue';

const props = defineProps<{
  document: TargetDocument;
  place: number;
  set: number | null;
  tried: OutputTried | undefined;
  problems: TargetProblem[];
  words: Vocabulary | undefined;
  editable: boolean;
  /** The cell that is open, or −1; and whether the row's settings are. */
  cell: number;
  open: boolean;
}>();
const emit = defineEmits<{
  channels: [channels: TargetChannel[]];
  cell: [at: number];
  settings: [];
  move: [by: number, at: number];
}>();
const output = computed(() => props.document.outputs[props.place]);
const sound = computed(() => !!props.tried?.asked && !props.tried.problem);
const picture = useDraftPicture(toRef(props, 'document'), toRef(props, 'place'), toRef(props, 'set'), sound);
const own = computed(() => problemsAt(props.problems, ['outputs', props.place], true));
const count = computed(() => output.value?.channels.length ?? 0);
const shown = computed(() => (count.value > 1 ? count.value + 1 : 1));
function wells(index: number): Record<string, string> {
  if (!picture.value) return {};
  return {
    backgroundImage: `url(${picture.value})`,
    backgroundSize: `${shown.value * 100}% 100%`,
    backgroundPosition: `${shown.value > 1 ? (index / (shown.value - 1)) * 100 : 0}% 0`,
  };
}
/** An output that the set does not ask for has nothing to show. */
const pictured = computed(() => props.set !== null && props.tried?.asked !== false);
/** Wells are of one size; a picture that is not square is cut off, never stretched. */
const aspect = computed(() =>
  props.tried?.width ? { aspectRatio: `${props.tried.width} / ${props.tried.height}` } : { aspectRatio: '1' },
);
function wrongAt(at: number): string {
  const said = problemsAt(props.problems, ['outputs', props.place, 'channels', at]);
  return said[0]?.message ?? (refused.value?.at === at ? refused.value.said : '');
}

/** The cell that is being typed into, and what. */
const typing = ref<{ at: number; text: string } | null>(null);
/** Cells whose text the server is reading: nothing is taken back before it has been understood. */
const reading = ref<Record<number, string>>({});
const refused = ref<{ at: number; said: string } | null>(null);
const row = ref<HTMLElement | null>(null);

function begin(at: number, text: string): void {
  typing.value = { at, text };
  refused.value = null;
  void nextTick(() => row.value?.querySelector<HTMLInputElement>('.typed')?.focus());
}
async function commit(): Promise<void> {
  const asked = typing.value;
  if (!asked || !output.value) return;
  typing.value = null;
  if (!asked.text.trim()) return;
  reading.value = { ...reading.value, [asked.at]: asked.text };
  try {
    const meant = await readMeaning(asked.text);
    emit('channels', filled(output.value.channels, asked.at, meant, props.words));
    refused.value = null;
  } catch (error) {
    const said =
      error instanceof ApiError ? `${error.sentence} ${error.wayOut}` : 'The server does not answer.';
    refused.value = { at: asked.at, said };
  } finally {
    reading.value = Object.fromEntries(
      Object.entries(reading.value).filter(([at]) => Number(at) !== asked.at),
    );
  }
}
function focusCell(at: number): void {
  void nextTick(() => row.value?.querySelectorAll<HTMLElement>('.cell')[at]?.focus());
}
async function take(at: number): Promise<void> {
  await commit();
  focusCell(at);
}
function press(event: KeyboardEvent, at: number): void {
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  const across: Record<string, number> = { ArrowLeft: -1, ArrowRight: 1 };
  const down: Record<string, number> = { ArrowUp: -1, ArrowDown: 1 };
  if (event.key in across) focusCell(Math.max(0, Math.min(count.value - 1, at + (across[event.key] ?? 0))));
  else if (event.key in down) emit('move', down[event.key] ?? 0, at);
  else if (event.key === 'Delete' || event.key === 'Backspace') {
    if (props.editable)
      change(at, {
        property: 'constant',
        component: 0,
        inverted: false,
        constant: 0,
        fitted: false,
        low: 0,
        high: 1,
        multiplied_by: '',
        when_absent: null,
        drop_when_absent: false,
        label: '',
      });
  } else if (event.key.length === 1 && event.key !== ' ' && props.editable) begin(at, event.key);
  else return;
  event.preventDefault();
  event.stopPropagation();
}
function change(at: number, how: Partial<TargetChannel>): void {
  if (!output.value) return;
  emit(
    'channels',
    output.value.channels.map((channel, place) => (place === at ? { ...channel, ...how } : channel)),
  );
}
const over = ref(-1);
async function dropped(event: DragEvent, at: number): Promise<void> {
  over.value = -1;
  const key = event.dataTransfer?.getData('text/fair-texel-property');
  if (!key || !output.value) return;
  event.preventDefault();
  typing.value = { at, text: key === 'constant' ? '0' : key };
  await commit();
}
const about = computed(() => {
  const made = output.value;
  if (!made) return [];
  const file = props.words?.files.find(({ key }) => key === made.file_format)?.title ?? made.file_format;
  const depth = props.words?.samples[made.sample] ?? made.sample;
  const form = FORMATS[made.storage.format].title;
  const flag = made.storage.srgb ? ', sRGB' : '';
  const mips = made.storage.mips ? `, mips by ${made.mip_filter}` : ', no mips';
  return [
    `${file}, ${depth}, ${made.encoding === 'srgb' ? 'sRGB' : 'linear'}`,
    `${form}${flag}${mips}`,
    made.container === 'dds' ? 'delivered as DDS' : 'delivered as it is built',
  ];
});
defineExpose({ focusCell });
</script>

<template>
  <article v-if="output" ref="row" class="row" :class="{ open }" :aria-label="output.title">
    <button
      class="plain name"
      :aria-expanded="open"
      :title="`What ${output.title} is written and stored as`"
      @click="emit('settings')"
    >
      <strong>{{ output.title }}</strong>
      <span v-if="tried?.asked" class="mono file">{{ tried.file_name }}</span>
      <span v-else class="soft">{{
        set === null ? `suffix ${output.suffix || 'none'}` : 'not made of this set'
      }}</span>
      <span v-for="line in about" :key="line" class="soft line">{{ line }}</span>
      <span v-if="tried?.asked" class="mono figures"
        >{{ tried.width }} × {{ tried.height }} · {{ bytesWords(tried.memory) }}</span
      >
    </button>
    <div class="cells" role="group" :aria-label="`Channels of ${output.title}`">
      <div v-if="pictured" class="whole">
        <div class="whole-well" :style="[aspect, wells(0)]" />
      </div>
      <div
        v-for="(entry, at) in output.channels"
        :key="entry.channel"
        class="slot"
        :class="{ over: over === at }"
        @dragover="((over = at), $event.preventDefault())"
        @dragleave="over = -1"
        @drop="dropped($event, at)"
      >
        <div v-if="pictured" class="well">
          <div class="whole-well" :style="[aspect, wells(count > 1 ? at + 1 : 0)]" />
        </div>
        <form v-if="typing?.at === at" @submit.prevent="take(at)">
          <input
            v-model="typing.text"
            class="typed"
            :aria-label="`Channel ${entry.channel} of ${output.title}: a property, its letter, or a number`"
            maxlength="60"
            spellcheck="false"
            autocomplete="off"
            @keydown.esc.stop="((typing = null), focusCell(at))"
            @keydown.tab="commit"
            @blur="commit"
          />
        </form>
        <button
          v-else
          data-takes-text
          class="plain cell"
          :class="{
            chosen: cell === at,
            wrong: wrongAt(at),
            fills: tried?.channels[at]?.fills,
            constant: entry.property === 'constant',
          }"
          :aria-pressed="cell === at"
          :aria-invalid="!!wrongAt(at)"
          :aria-busy="at in reading"
          :title="tried?.channels.find(({ channel }) => channel === entry.channel)?.done.join(', ')"
          @click="emit('cell', at)"
          @dblclick="editable && begin(at, '')"
          @keydown="press($event, at)"
        >
          <b class="mono">{{ entry.channel }}<span class="unseen">: </span></b>
          <span class="held" :class="{ soft: at in reading }">{{
            reading[at] ?? cellWords(entry, words)
          }}</span>
          <small v-for="note in at in reading ? [] : cellNotes(entry, words)" :key="note">{{ note }}</small>
        </button>
        <p v-if="wrongAt(at)" class="said" role="alert">{{ wrongAt(at) }}</p>
      </div>
    </div>
    <ul v-if="own.length || tried?.problem || tried?.findings.length" class="finds">
      <li v-for="problem in own" :key="problem.message" class="wrongly">
        <StateGlyph state="wrong" /> {{ problem.message }}
      </li>
      <li v-if="tried?.problem && !own.length" class="lookat">
        <StateGlyph state="look" /> {{ tried.problem }} {{ tried.way_out }}
      </li>
      <li v-for="finding in tried?.findings.filter(({ rule }) => rule !== 'missing')" :key="finding.message">
        <StateGlyph
          :state="finding.severity === 'error' ? 'wrong' : finding.severity === 'warning' ? 'look' : 'note'"
        />
        {{ finding.message }}
      </li>
    </ul>
    <slot />
  </article>
</template>

<style scoped>
.row {
  display: grid;
  grid-template-columns: 190px minmax(0, 1fr);
  gap: 4px 16px;
  padding: 12px 0 14px;
  border-bottom: 1px solid var(--rule);
}
.name {
  display: grid;
  align-content: start;
  gap: 1px;
  min-width: 0;
  padding: 0 6px 0 8px;
  border-left: 2px solid transparent;
}
.name:hover,
.open .name {
  border-left-color: var(--madder);
}
.name strong {
  font-size: 14px;
}
.file {
  overflow-wrap: anywhere;
}
.line {
  font-size: 12px;
  line-height: 1.35;
}
.figures {
  margin-top: 3px;
}
.cells {
  display: flex;
  gap: 6px;
  min-width: 0;
}
.whole {
  width: 128px;
  height: 128px;
  margin-right: 8px;
}
.whole,
.well {
  display: grid;
  align-items: center;
  overflow: hidden;
  background: var(--well);
  flex: none;
}
.whole-well {
  width: 100%;
  background-repeat: no-repeat;
}
.slot {
  flex: 1 1 0;
  max-width: 138px;
  min-width: 0;
}
.slot .well {
  height: 84px;
}
.over .well {
  outline: 2px solid var(--madder);
  outline-offset: -2px;
}
.cell {
  display: block;
  width: 100%;
  min-height: 50px;
  padding: 4px 6px 5px;
  background: var(--sheet);
  border: 1px solid var(--rule);
  border-top: 0;
  line-height: 1.3;
}
.cell:hover {
  border-color: var(--soft);
}
.cell b {
  margin-right: 6px;
  color: var(--faint);
  font-weight: 600;
}
.cell small {
  display: block;
  font-size: 11px;
  color: var(--soft);
}
.cell.chosen {
  background: var(--ink);
  border-color: var(--ink);
  color: var(--paper);
}
.cell.chosen b,
.cell.chosen small {
  color: inherit;
  opacity: 0.75;
}
.cell.fills .held {
  font-style: italic;
}
.cell.wrong {
  border-color: var(--madder);
  box-shadow: inset 0 -2px var(--madder);
}
.typed {
  width: 100%;
  min-height: 50px;
  padding: 4px 6px;
  border: 1px solid var(--madder);
  border-top-width: 0;
  background: var(--sheet);
  color: var(--ink);
  font-family: var(--mono);
  font-size: 11px;
}
.said {
  color: var(--madder);
  font-size: 11.5px;
  line-height: 1.3;
  padding: 3px 0;
}
.finds {
  grid-column: 2;
  list-style: none;
  margin: 2px 0 0;
  padding: 0;
  font-size: 12px;
  display: grid;
  gap: 1px;
}
.finds li {
  max-width: 760px;
}
.wrongly {
  color: var(--madder);
}
@media (max-width: 860px) {
  .row {
    grid-template-columns: 1fr;
  }
  .finds {
    grid-column: 1;
  }
  .cells {
    flex-wrap: wrap;
  }
}
</style>
