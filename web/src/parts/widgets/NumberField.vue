<script setup lang="ts">
// The one field for numbers: typed with comma, point, unit or as a sum, stepped by arrow keys, or scrubbed by dragging it sideways.
import { computed, nextTick, ref, useId } from 'vue';

import { held, readNumber, stepOf, written } from '@/lib/values/numbers';

const props = withDefaults(
  defineProps<{
    label: string;
    unit?: string;
    /** The unit stands beside the field, and need not stand in it. */
    unitBeside?: boolean;
    /** Hard limits, which no value leaves. */
    low?: number | null;
    high?: number | null;
    /** The range that steps and scrubbing are measured by; the hard limits where it is left out. */
    softLow?: number | null;
    softHigh?: number | null;
    whole?: boolean;
    /** What an empty field means, shown in it; without it an empty field is refused. */
    empty?: string;
    disabled?: boolean;
  }>(),
  { unit: '', low: null, high: null, softLow: null, softHigh: null, empty: '' },
);
const model = defineModel<number | null>({ required: true });
/** A value is set for good: a drag has ended, or what was typed was taken. */
const emit = defineEmits<{ settle: [] }>();

const PIXELS_BEFORE_SCRUB = 4;
const PIXELS_FOR_STEP = 3;
const field = ref<HTMLInputElement | null>(null);
/** What is being typed; null while the field shows its value. */
const typed = ref<string | null>(null);
const problem = ref('');
const note = ref('');
const noteId = useId();
const spelled = computed(() => (/^\p{L}/u.test(props.unit) ? ` ${props.unit}` : props.unit));
const unitText = computed(() => (props.unitBeside ? '' : spelled.value));
const shown = computed(() =>
  typed.value !== null ? typed.value : model.value === null ? '' : `${written(model.value)}${unitText.value}`,
);
const step = computed(() => stepOf(props.softLow ?? props.low, props.softHigh ?? props.high, props.whole));

/** Give the value on; whether it is another one than before. */
function put(value: number | null): boolean {
  const other = value !== model.value;
  if (other) model.value = value;
  return other;
}
function take(value: number): boolean {
  const kept = held(value, { low: props.low, high: props.high, whole: props.whole }, spelled.value);
  note.value = kept.note;
  return put(kept.value);
}
/** Take what was typed, or say why not: then it stays to be mended, and the value is as it was. */
function commit(): void {
  if (typed.value === null) return;
  const text = typed.value;
  let changed = false;
  problem.value = '';
  if (!text.trim() && props.empty) {
    note.value = '';
    changed = put(null);
  } else {
    const read = readNumber(text, props.unit);
    if ('problem' in read) {
      problem.value = read.problem;
      return;
    }
    changed = take(read.value);
  }
  typed.value = null;
  if (changed) emit('settle');
}
function drop(): void {
  typed.value = null;
  problem.value = note.value = '';
}
function leave(): void {
  commit();
  if (!problem.value) note.value = '';
}
function move(by: number): void {
  commit();
  if (problem.value || props.disabled) return;
  // A step lands on round numbers: binary noise is cut.
  if (take(Number(((model.value ?? 0) + by * step.value).toPrecision(12)))) emit('settle');
}
function key(event: KeyboardEvent): void {
  const times = event.shiftKey ? 10 : event.altKey && !props.whole ? 0.1 : 1;
  const by: Record<string, number> = { ArrowUp: times, ArrowDown: -times, PageUp: 10, PageDown: -10 };
  if (event.key in by) move(by[event.key] as number);
  else if (event.key === 'Enter') commit();
  else if (event.key === 'Escape' && (typed.value !== null || note.value)) drop();
  else return;
  event.preventDefault();
  event.stopPropagation();
  if (event.key === 'Enter') void nextTick(() => field.value?.select());
}

let scrub: { x: number; from: number; moved: boolean } | null = null;
function down(event: PointerEvent): void {
  if (props.disabled || event.button !== 0 || document.activeElement === field.value) return;
  scrub = { x: event.clientX, from: model.value ?? 0, moved: false };
  (event.target as HTMLElement).setPointerCapture(event.pointerId);
  // Whether it is a click into the field or a drag is known when the pointer has moved, or not.
  event.preventDefault();
}
function drag(event: PointerEvent): void {
  if (!scrub) return;
  const way = event.clientX - scrub.x;
  if (!scrub.moved && Math.abs(way) < PIXELS_BEFORE_SCRUB) return;
  scrub.moved = true;
  const fine = event.shiftKey ? 10 : event.altKey ? 0.1 : 1;
  take(Number((scrub.from + Math.round(way / PIXELS_FOR_STEP) * step.value * fine).toPrecision(12)));
}
function up(): void {
  if (!scrub) return;
  const moved = scrub.moved;
  scrub = null;
  if (moved) emit('settle');
  else {
    field.value?.focus();
    field.value?.select();
  }
}
</script>

<template>
  <span class="number" :class="{ wrong: problem }">
    <input
      ref="field"
      type="text"
      inputmode="decimal"
      role="spinbutton"
      autocomplete="off"
      spellcheck="false"
      :value="shown"
      :placeholder="empty"
      :disabled="disabled"
      :aria-label="label"
      :aria-valuenow="model ?? undefined"
      :aria-valuetext="model === null ? empty : `${written(model)}${spelled}`"
      :aria-valuemin="low ?? undefined"
      :aria-valuemax="high ?? undefined"
      :aria-invalid="problem ? true : undefined"
      :aria-describedby="problem || note ? noteId : undefined"
      :title="disabled || problem ? undefined : 'Type a number or a sum, or drag sideways'"
      @input="typed = ($event.target as HTMLInputElement).value"
      @change="commit"
      @blur="leave"
      @keydown="key"
      @pointerdown="down"
      @pointermove="drag"
      @pointerup="up"
      @pointercancel="up"
    />
    <span v-if="problem || note" :id="noteId" class="note" :role="problem ? 'alert' : 'status'">
      {{ problem ? '✕' : '◆' }} {{ problem || note }}
    </span>
  </span>
</template>

<style scoped>
.number {
  position: relative;
  display: inline-block;
  width: var(--number-width, 84px);
}
input {
  width: 100%;
  height: 24px;
  padding: 0 6px;
  text-align: right;
  text-overflow: ellipsis;
  font: 10.5px var(--mono);
  letter-spacing: -0.02em;
  color: var(--ink);
  background: var(--sheet);
  border: 1px solid var(--rule);
  border-radius: 2px;
  touch-action: none;
}
input:not(:focus, :disabled) {
  cursor: ew-resize;
}
input:hover:not(:disabled) {
  border-color: var(--soft);
}
input:disabled {
  background: none;
  color: var(--soft);
}
input::placeholder {
  color: var(--soft);
  font-family: var(--sans);
}
.wrong input {
  border-color: var(--madder);
}
.note {
  position: absolute;
  right: 0;
  top: calc(100% + 2px);
  z-index: 30;
  width: max-content;
  max-width: 260px;
  padding: 4px 8px;
  background: var(--sheet);
  border: 1px solid var(--ochre);
  color: var(--ink);
  font-size: 12px;
  line-height: 1.35;
  text-align: left;
}
.wrong .note {
  border-color: var(--madder);
}
</style>
