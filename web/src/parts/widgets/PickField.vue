<script setup lang="ts">
// A cell that is read as text and written by typing: what fits is offered, the best first, and enter takes it.
import AutoComplete from 'primevue/autocomplete';
import { nextTick, ref } from 'vue';

import type { Offer } from './offer';

const props = defineProps<{
  /** What is read now, and what is read where there is nothing. */
  text: string;
  empty?: string;
  label: string;
  /** What is offered for what was typed. */
  offers: (typed: string) => Offer[];
  /** What is wrong with it, in words. */
  wrong?: string;
  editable: boolean;
  /** How it looks while it is read: as a chip, or as plain words. */
  look?: string;
}>();
const emit = defineEmits<{ take: [value: string]; typed: [text: string]; done: []; light: [on: boolean] }>();

const writing = ref(false);
const draft = ref<string | Offer>('');
const found = ref<Offer[]>([]);
const field = ref<{ $el: HTMLElement } | null>(null);
const button = ref<HTMLButtonElement | null>(null);

async function begin(text = props.text): Promise<void> {
  if (!props.editable || writing.value) return;
  draft.value = text;
  writing.value = true;
  await nextTick();
  const input = field.value?.$el.querySelector('input');
  input?.focus();
  if (text === props.text) input?.select();
  else input?.setSelectionRange(text.length, text.length);
}
async function end(back: boolean): Promise<void> {
  if (!writing.value) return;
  writing.value = false;
  await nextTick();
  if (back) button.value?.focus();
}
function choose(offer: Offer): void {
  // The list may tell of what was taken after the key did.
  if (!writing.value) return;
  emit('take', offer.value);
  void end(true);
}
/** What was typed as it stands, where nothing of what is offered was chosen. */
function settle(back: boolean): void {
  if (!writing.value) return;
  const typed = typeof draft.value === 'string' ? draft.value : draft.value.text;
  if (typed !== props.text) emit('typed', typed);
  void end(back);
}
function key(event: KeyboardEvent): void {
  if (event.key === 'Escape') {
    event.stopPropagation();
    void end(true);
  } else if (event.key === 'Enter') {
    event.stopPropagation();
    // Else the button that takes the field's place would be pressed by the same key.
    event.preventDefault();
    // What is highlighted is taken by the list itself; where nothing is, the best that is offered, or what was typed.
    void nextTick(() => {
      if (!writing.value) return;
      const typed = String(typeof draft.value === 'string' ? draft.value : draft.value.text).trim();
      const exact = props.offers(typed)[0];
      if (typed && exact && Number.isNaN(Number(typed.replace(',', '.'))) && !['on', 'off'].includes(typed))
        choose(exact);
      else settle(true);
    });
  } else if (event.key === 'Tab') settle(false);
}
/** A letter on the cell begins writing with it. */
function press(event: KeyboardEvent): void {
  if (event.ctrlKey || event.metaKey || event.altKey || !props.editable) return;
  if (event.key === 'Enter' || event.key === 'F2') void begin();
  else if (event.key === 'Backspace') void begin('');
  else if (/^[a-z0-9.\-−]$/i.test(event.key)) void begin(event.key);
  else return;
  event.preventDefault();
  event.stopPropagation();
}
defineExpose({ begin });
</script>

<template>
  <AutoComplete
    v-if="writing"
    ref="field"
    v-model="draft"
    class="write"
    :suggestions="found"
    option-label="text"
    :aria-label="label"
    complete-on-focus
    auto-option-focus
    :delay="0"
    append-to="body"
    @complete="found = offers(String($event.query)).slice(0, 60)"
    @option-select="choose($event.value as Offer)"
    @keydown="key"
    @blur="settle(false)"
  >
    <template #option="{ option }">
      <span class="mono">{{ (option as Offer).text }}</span>
      <span class="soft said">{{ (option as Offer).said }}</span>
    </template>
  </AutoComplete>
  <button
    v-else
    ref="button"
    type="button"
    data-takes-text
    class="read"
    :class="[look ?? 'chip mono', { wrong: !!wrong, none: !text }]"
    :aria-label="`${label}: ${text || empty || 'empty'}${wrong ? `. ${wrong}` : ''}`"
    :title="wrong || label"
    :tabindex="editable ? 0 : -1"
    @click="begin()"
    @keydown="press"
    @mouseenter="emit('light', true)"
    @mouseleave="emit('light', false)"
    @focus="emit('light', true)"
    @blur="emit('light', false)"
  >
    {{ text || empty || '—' }}
  </button>
</template>

<style scoped>
.read {
  border: 0;
  background: none;
  color: inherit;
  font: inherit;
  text-align: left;
  cursor: text;
}
.read.chip {
  background: var(--wash);
  border-radius: 2px;
  padding: 1px 4px;
  font-family: var(--mono);
  font-size: 11px;
  white-space: nowrap;
}
.read.none {
  color: var(--faint);
}
.read.wrong {
  outline: 1px solid var(--madder);
  color: var(--madder);
}
.read:focus-visible {
  outline: 2px solid var(--ink);
}
.write {
  width: 150px;
}
.write :deep(input) {
  width: 100%;
  height: 24px;
  padding: 0 6px;
  font-size: 12px;
}
.said {
  margin-left: 10px;
  font-size: 12px;
}
</style>
