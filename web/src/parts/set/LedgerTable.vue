<script setup lang="ts">
// The ledger: one row for each property, read from left to right as a sentence.
import { computed, ref } from 'vue';

import type { Finding, LineView } from '@/api/client';
import { carriesChannel, takeCarried, type Carried } from './channels';
import { sampleWords, sizeWords } from '@/lib/values/format';
import { ofFile, pictureUrl, viewOfLine } from '@/lib/pictures/pictures';

import Chip from './Chip.vue';
import FileName from '@/parts/widgets/FileName.vue';
import StateGlyph from '@/parts/widgets/StateGlyph.vue';

const props = defineProps<{ lines: LineView[]; findings: Finding[]; mayWork: boolean }>();
const emit = defineEmits<{ fill: [property: string, carried: Carried] }>();
const chosen = defineModel<string>('chosen', { required: true });
const lit = defineModel<string | null>('lit', { required: true });
const target = ref<string | null>(null);

/** A file's channels as one chip: RGB for three of one file, R for one. */
function channels(line: LineView): string {
  return line.row ? [...new Set(line.row.channels)].join('') : '';
}

/** A row as it is read aloud. */
function rowWords(line: LineView): string {
  const from =
    line.file && line.row
      ? `from ${line.file.name}, ${[...new Set(line.row.channels)].join(' ')}`
      : line.absent_note;
  const to = line.to.map((goes) => `${goes.file_name}, ${goes.channels}`).join('; ');
  const state = worst(line);
  return `${line.title}: ${from}${to ? `, to ${to}` : ''}${state ? `. ${state === 'wrong' ? 'Wrong' : 'Look at this'}` : ''}`;
}

const litLine = computed(() => props.lines.find((line) => line.property === lit.value));
/** What the lit row shares with another: the same source file, or the same output. */
function shares(line: LineView): boolean {
  const other = litLine.value;
  if (!other || other === line) return false;
  const sameFile = other.file && line.file && other.file.id === line.file.id;
  return (
    Boolean(sameFile) || other.to.some((goes) => line.to.some((mine) => mine.file_name === goes.file_name))
  );
}
function worst(line: LineView): 'wrong' | 'look' | null {
  const here = props.findings.filter(
    (finding) => finding.property === line.property && finding.severity !== 'note',
  );
  if (here.some((finding) => finding.severity === 'error')) return 'wrong';
  return here.length ? 'look' : null;
}

function over(event: DragEvent, property: string): void {
  if (!props.mayWork || !carriesChannel(event)) return;
  event.preventDefault();
  target.value = property;
}
function drop(event: DragEvent, property: string): void {
  target.value = null;
  const carried = takeCarried(event);
  if (!carried || !props.mayWork) return;
  event.preventDefault();
  emit('fill', property, carried);
}
</script>

<template>
  <div v-rove class="ledger" role="grid" aria-label="Ledger">
    <div class="titles" role="row">
      <span role="columnheader">from</span><span role="columnheader">meaning</span
      ><span role="columnheader">to</span>
    </div>
    <div
      v-for="line in lines"
      :key="line.property"
      class="row"
      role="row"
      data-rove
      :data-property="line.property"
      :aria-label="rowWords(line)"
      :aria-selected="line.property === chosen"
      :class="{
        chosen: line.property === chosen,
        lit: line.property === lit,
        shares: shares(line),
        absent: !line.row && !line.done,
        computed: !line.row && line.done,
        target: target === line.property,
      }"
      @click="chosen = line.property"
      @focus="chosen = line.property"
      @mouseenter="lit = line.property"
      @mouseleave="lit = null"
      @dragover="over($event, line.property)"
      @dragleave="target = null"
      @drop="drop($event, line.property)"
    >
      <div class="from" role="gridcell">
        <img
          v-if="line.file"
          class="thumb"
          width="44"
          height="44"
          alt=""
          loading="lazy"
          :src="pictureUrl(ofFile(line.file), viewOfLine(line), 'small')"
        />
        <span v-else class="hole" />
        <div class="text">
          <template v-if="line.file && line.row">
            <FileName :name="line.file.name" />
            <div v-if="line.row.tiles?.length" class="soft">
              {{ line.row.tiles.length }} tiles, {{ line.row.tiles[0]?.number }} to
              {{ line.row.tiles.at(-1)?.number }}
            </div>
            <div class="facts soft">
              <span>{{ sizeWords(line.file.width, line.file.height) }}</span>
              <span>{{ sampleWords(line.file.sample) }}</span>
              <span>{{ line.row.encoding === 'srgb' ? 'sRGB' : 'linear' }}</span>
              <Chip :label="channels(line)" :lit="line.property === lit" />
            </div>
          </template>
          <span v-else-if="line.done" class="soft">other properties of this set</span>
          <span v-else class="faint">{{ mayWork ? 'nothing yet: drop a map here' : 'nothing' }}</span>
        </div>
      </div>
      <div class="meaning" role="gridcell">
        <div class="property">
          {{ line.title }}
          <StateGlyph v-if="worst(line)" :state="worst(line) ?? 'look'" />
        </div>
        <div class="done" :class="line.done ? 'soft' : 'faint'">{{ line.done || line.absent_note }}</div>
      </div>
      <div class="to" role="gridcell">
        <div v-for="goes in line.to" :key="goes.output" class="goes">
          <div class="text">
            <FileName :name="goes.file_name" />
            <div class="soft">{{ goes.stored }}</div>
          </div>
          <Chip :label="goes.channels" :lit="line.property === lit" />
        </div>
        <span v-if="!line.to.length" class="faint">{{ line.row ? 'not asked for' : 'left out' }}</span>
      </div>
    </div>
  </div>
</template>

<style scoped>
.titles,
.row {
  display: grid;
  grid-template-columns: minmax(0, 1.3fr) minmax(0, 0.9fr) minmax(0, 1fr);
  gap: 0 14px;
  padding: 0 8px;
}
.titles {
  color: var(--soft);
  padding-bottom: 6px;
  border-bottom: 1px solid var(--ink);
}
.row {
  position: relative;
  min-height: 57px;
  align-items: center;
  border-bottom: 1px solid var(--rule);
  cursor: default;
}
.row:focus-visible {
  outline-offset: -2px;
}
.row::before {
  content: '';
  position: absolute;
  left: -3px;
  top: -1px;
  bottom: -1px;
  width: 3px;
}
.row.chosen {
  background: var(--sheet);
}
.row.chosen::before {
  background: var(--ink);
}
.row.lit:not(.chosen) {
  background: var(--wash);
}
.row.shares::before {
  background: var(--faint);
}
.row.target {
  background: var(--wash);
  box-shadow: inset 0 0 0 1px var(--ink);
}
.from {
  display: flex;
  gap: 11px;
  align-items: center;
  min-width: 0;
}
.text {
  min-width: 0;
  flex: 1;
}
.facts {
  display: flex;
  gap: 1px 7px;
  align-items: center;
  margin-top: 2px;
  flex-wrap: wrap;
  font-variant-numeric: tabular-nums;
}
.hole {
  width: 44px;
  height: 44px;
  flex: none;
  border: 1px dashed color-mix(in srgb, var(--ink) 30%, transparent);
}
.absent .hole {
  height: 24px;
}
.absent .meaning {
  display: flex;
  flex-wrap: wrap;
  gap: 0 10px;
  align-items: baseline;
  padding: 6px 0;
}
.absent .goes .soft {
  display: none;
}
.property {
  font-weight: 650;
  font-size: 14px;
  letter-spacing: -0.005em;
}
.absent .property {
  color: var(--soft);
  font-weight: 550;
  font-size: 13px;
  white-space: nowrap;
}
.row.absent {
  min-height: 34px;
}
.done {
  line-height: 1.25;
}
.to {
  display: grid;
  gap: 4px;
  min-width: 0;
}
.goes {
  display: flex;
  align-items: center;
  gap: 10px;
  min-width: 0;
}
</style>
