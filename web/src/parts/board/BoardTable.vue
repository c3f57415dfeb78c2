<script setup lang="ts">
// The board's rows: sets in their folders against the stages, or against the properties that their targets ask for. Only what is in
// sight is drawn, so that a thousand sets stay fluid.
import { useVirtualizer } from '@tanstack/vue-virtual';
import { computed, nextTick, ref, watch } from 'vue';
import { RouterLink } from 'vue-router';

import type { Board } from '@/api/client';
import type { BoardFolder, BoardSet, Line } from './boardview';
import { drag, dragged, ended, type Dragged } from '@/lib/page/dragging';
import { useActions } from '@/lib/page/keys';

import LitThumb from './LitThumb.vue';
import StateGlyph from '@/parts/widgets/StateGlyph.vue';
import WholeName from '@/parts/widgets/WholeName.vue';

const props = defineProps<{
  slug: string;
  board: Board;
  lines: Line[];
  columns: 'stages' | 'coverage';
  chosen: ReadonlySet<number>;
  mayWork: boolean;
  /** Whether all sets that are shown are chosen, some, or none. */
  all: boolean | 'some';
  /** How each set fares in work that goes on. */
  working: ReadonlyMap<number, string>;
}>();
const emit = defineEmits<{
  open: [id: number];
  choose: [id: number, range: boolean];
  chooseAll: [on: boolean];
  fold: [id: number];
  drop: [what: Dragged, folder: number | null];
  folder: [act: 'rename' | 'inside' | 'remove', folder: BoardFolder];
}>();
const scroller = ref<HTMLElement | null>(null);
const at = ref(0);
const over = ref<number | null>(null);
const SET_HEIGHT = 48;
const FOLDER_HEIGHT = 34;

const keyOf = (line: Line) => (line.kind === 'set' ? `s${line.set.id}` : `f${line.folder.id}`);
const rows = useVirtualizer(
  computed(() => ({
    count: props.lines.length,
    getScrollElement: () => scroller.value,
    estimateSize: (index: number) => (props.lines[index]?.kind === 'folder' ? FOLDER_HEIGHT : SET_HEIGHT),
    getItemKey: (index: number) => {
      const line = props.lines[index];
      return line ? keyOf(line) : index;
    },
    overscan: 12,
  })),
);
/** The lines in sight, with their places. */
const drawn = computed(() =>
  rows.value.getVirtualItems().flatMap((item) => {
    const line = props.lines[item.index];
    return line ? [{ item, line }] : [];
  }),
);
const properties = computed(() => {
  const found = new Map<string, string>();
  for (const wants of Object.values(props.board.wants))
    for (const wanted of wants) found.set(wanted.property, wanted.title);
  return [...found].map(([property, title]) => ({ property, title }));
});
const heads = computed(() =>
  props.columns === 'stages'
    ? props.board.stages.map((stage) => ({ key: stage, title: stage }))
    : properties.value.map(({ property, title }) => ({ key: property, title: title.toLowerCase() })),
);
const template = computed(
  () =>
    `26px minmax(170px, 2.4fr) repeat(${heads.value.length}, minmax(${props.columns === 'stages' ? 56 : 64}px, 0.6fr))`,
);
watch(
  () => props.lines.length,
  (count) => (at.value = Math.min(at.value, Math.max(0, count - 1))),
);

async function go(to: number): Promise<void> {
  at.value = Math.max(0, Math.min(to, props.lines.length - 1));
  const row = () => scroller.value?.querySelector<HTMLElement>(`[role=row][data-index="${at.value}"]`);
  const drawn = row();
  rows.value.scrollToIndex(at.value);
  if (drawn) return drawn.focus({ preventScroll: true });
  // It has to be drawn first.
  await nextTick();
  requestAnimationFrame(() => row()?.focus({ preventScroll: true }));
}
function move(event: KeyboardEvent): void {
  const to: Record<string, number> = {
    ArrowDown: at.value + 1,
    ArrowUp: at.value - 1,
    PageDown: at.value + 12,
    PageUp: at.value - 12,
    Home: 0,
    End: props.lines.length - 1,
  };
  const next = to[event.key];
  const line = props.lines[at.value];
  if (next !== undefined) void go(next);
  else if (event.key === 'ArrowRight' && line?.kind === 'folder' && !line.open) emit('fold', line.folder.id);
  else if (event.key === 'ArrowLeft' && line?.kind === 'folder' && line.open) emit('fold', line.folder.id);
  else return;
  event.preventDefault();
}
function enter(line: Line): void {
  if (line.kind === 'set') emit('open', line.set.id);
  else emit('fold', line.folder.id);
}
function pressRow(event: MouseEvent, set: BoardSet): void {
  if (props.mayWork && (event.ctrlKey || event.metaKey || event.shiftKey)) {
    event.preventDefault();
    emit('choose', set.id, event.shiftKey);
  } else emit('open', set.id);
}
function begin(event: DragEvent, line: Line): void {
  if (!props.mayWork) return event.preventDefault();
  if (line.kind === 'folder') drag(event, { sets: [], folder: line.folder.id }, line.folder.name);
  else {
    const sets = props.chosen.has(line.set.id) ? [...props.chosen] : [line.set.id];
    drag(event, { sets, folder: null }, sets.length === 1 ? line.set.name : `${sets.length} sets`);
  }
}
function hover(event: DragEvent, folder: number | null): void {
  if (!dragged(event)) return;
  event.preventDefault();
  // The row that is nearest knows best; files from outside are for the whole page.
  event.stopPropagation();
  over.value = folder;
}
function drop(event: DragEvent, folder: number | null): void {
  const what = dragged(event);
  over.value = null;
  if (!what) return;
  event.preventDefault();
  event.stopPropagation();
  ended();
  emit('drop', what, folder);
}
/** A row hands what is dropped on it to the folder that it lies in. */
const placeOf = (line: Line) => (line.kind === 'folder' ? line.folder.id : line.set.folder);
useActions({
  next: () => void go(at.value + 1),
  previous: () => void go(at.value - 1),
  open: () => {
    const line = props.lines[at.value];
    if (line) enter(line);
  },
  chooseRow: () => {
    const line = props.lines[at.value];
    if (props.mayWork && line?.kind === 'set') emit('choose', line.set.id, false);
  },
  chooseAll: () => props.mayWork && emit('chooseAll', props.all !== true),
});
/** Many rows of the same names would be a wall: they are counted, and said on hover. */
function targetWords(names: string): string {
  const several = names.split(', ').length;
  return several > 1 ? `${several} targets` : names;
}
</script>

<template>
  <div
    class="grid"
    role="grid"
    aria-label="Board"
    :aria-rowcount="lines.length + 1"
    aria-multiselectable="true"
  >
    <div class="titles soft" role="row" :style="{ gridTemplateColumns: template }">
      <span role="columnheader">
        <input
          v-if="mayWork"
          type="checkbox"
          aria-label="Choose all sets that are shown"
          :checked="all === true"
          :indeterminate="all === 'some'"
          @change="emit('chooseAll', all !== true)"
        />
      </span>
      <span role="columnheader">set, for its target</span>
      <span v-for="head in heads" :key="head.key" role="columnheader">{{ head.title }}</span>
    </div>
    <div
      ref="scroller"
      v-keep-scroll
      class="rows"
      role="presentation"
      @keydown="move"
      @dragover="hover($event, null)"
      @drop="drop($event, null)"
      @dragend="((over = null), ended())"
    >
      <div class="all" role="presentation" :style="{ height: `${rows.getTotalSize()}px` }">
        <div
          v-for="{ item, line } in drawn"
          :key="String(item.key)"
          :ref="(element) => rows.measureElement(element as Element | null)"
          class="place"
          role="presentation"
          :data-index="item.index"
          :style="{ transform: `translateY(${item.start}px)` }"
        >
          <div
            v-if="line.kind === 'folder'"
            class="folder"
            :class="{ over: over === line.folder.id, at: item.index === at }"
            role="row"
            :aria-expanded="line.open"
            :aria-rowindex="item.index + 2"
            :aria-label="`Folder ${line.folder.path}, ${line.count} sets`"
            :tabindex="item.index === at ? 0 : -1"
            :data-index="item.index"
            :draggable="mayWork"
            :style="{ paddingLeft: `${line.depth * 16 + 4}px` }"
            @click="emit('fold', line.folder.id)"
            @keydown.enter.self="emit('fold', line.folder.id)"
            @focus="at = item.index"
            @dragstart="begin($event, line)"
            @dragover="hover($event, line.folder.id)"
            @drop="drop($event, line.folder.id)"
          >
            <span class="sign" aria-hidden="true">{{ line.open ? '–' : '+' }}</span>
            <strong class="called" role="gridcell">{{ line.folder.name }}</strong>
            <span class="soft" role="gridcell">{{ line.count }} {{ line.count === 1 ? 'set' : 'sets' }}</span>
            <StateGlyph v-if="line.count && line.standing !== 'holds'" :state="line.standing" />
            <span v-if="mayWork" class="acts" role="gridcell">
              <button class="plain link soft" @click.stop="emit('folder', 'rename', line.folder)">
                Rename
              </button>
              <button class="plain link soft" @click.stop="emit('folder', 'inside', line.folder)">
                Folder inside
              </button>
              <button class="plain link soft" @click.stop="emit('folder', 'remove', line.folder)">
                Remove
              </button>
            </span>
          </div>
          <div
            v-else
            class="row"
            :class="{ at: item.index === at, chosen: chosen.has(line.set.id) }"
            role="row"
            :aria-label="`${line.set.name}, for ${line.set.target}`"
            :aria-selected="chosen.has(line.set.id)"
            :aria-rowindex="item.index + 2"
            :tabindex="item.index === at ? 0 : -1"
            :data-index="item.index"
            :data-set="line.set.id"
            :draggable="mayWork"
            :style="{ gridTemplateColumns: template }"
            @click="pressRow($event, line.set)"
            @keydown.enter.self="emit('open', line.set.id)"
            @focus="at = item.index"
            @mouseenter="at = item.index"
            @dragstart="begin($event, line)"
            @dragover="hover($event, placeOf(line))"
            @drop="drop($event, placeOf(line))"
          >
            <span role="gridcell" @click.stop>
              <input
                v-if="mayWork"
                type="checkbox"
                tabindex="-1"
                :aria-label="`Choose ${line.set.name}`"
                :checked="chosen.has(line.set.id)"
                @click.stop="emit('choose', line.set.id, $event.shiftKey)"
              />
            </span>
            <span class="set" role="gridcell" :style="{ paddingLeft: `${line.depth * 16}px` }">
              <LitThumb
                v-if="line.set.picture"
                :edge="36"
                :src="`/api/sets/${line.set.id}/lit?v=${line.set.picture}`"
              />
              <span v-else class="thumb hole" />
              <span class="named-for">
                <RouterLink
                  class="title"
                  tabindex="-1"
                  draggable="false"
                  :to="{ name: 'set', params: { slug, id: line.set.id } }"
                  @click.stop
                  ><WholeName :name="line.set.name"
                /></RouterLink>
                <span class="soft target" :title="line.set.target">
                  {{ targetWords(line.set.target)
                  }}<span v-if="!line.set.surface" v-term="'no surface'" class="of-kind">· no surface</span
                  ><span v-for="tag in line.set.tags" :key="tag" class="tag">{{ tag }}</span>
                </span>
              </span>
              <span class="marks">
                <span v-if="working.get(line.set.id)" class="soft work">{{ working.get(line.set.id) }}</span>
                <span
                  v-if="line.set.notes"
                  :title="line.set.note"
                  class="note"
                  role="img"
                  :aria-label="`${line.set.notes} notes, the last: ${line.set.note}`"
                  >✎ {{ line.set.notes }}</span
                >
                <RouterLink
                  v-if="line.set.questions"
                  class="asked mono"
                  tabindex="-1"
                  :title="`${line.set.questions} open question${line.set.questions === 1 ? '' : 's'}`"
                  :to="{ name: 'arrivals', params: { slug } }"
                  @click.stop
                  >?{{ line.set.questions }}</RouterLink
                >
              </span>
            </span>
            <template v-if="columns === 'stages'">
              <span
                v-for="stage in board.stages"
                :key="stage"
                :title="line.set.cells[stage]?.first || undefined"
                role="gridcell"
                class="cell"
              >
                <StateGlyph :state="line.set.cells[stage]?.state ?? 'none'" />
                <span v-if="line.set.cells[stage]?.count" class="mono">{{
                  line.set.cells[stage]?.count
                }}</span>
              </span>
            </template>
            <template v-else>
              <span v-for="wanted in properties" :key="wanted.property" role="gridcell" class="cell">
                <StateGlyph v-if="line.set.has.includes(wanted.property)" state="holds" label="has a map" />
                <span
                  v-else-if="line.set.lacks.includes(wanted.property)"
                  class="lacks"
                  role="img"
                  :aria-label="`lacks ${wanted.title.toLowerCase()}`"
                  >○</span
                >
              </span>
            </template>
          </div>
        </div>
      </div>
    </div>
  </div>
</template>

<style scoped>
.grid {
  flex: 1;
  min-height: 0;
  display: flex;
  flex-direction: column;
}
.titles,
.row {
  display: grid;
  column-gap: 4px;
  align-items: center;
}
.titles {
  font-size: 12px;
  padding: 0 8px 6px 4px;
  border-bottom: 1px solid var(--ink);
  /* As wide as the rows, whose scroll bar takes room. */
  scrollbar-gutter: stable;
  overflow: hidden;
}
.titles span {
  overflow-wrap: anywhere;
  letter-spacing: -0.01em;
}
.rows {
  flex: 1;
  min-height: 120px;
  overflow: auto;
  scrollbar-gutter: stable;
}
.all {
  position: relative;
  width: 100%;
}
.place {
  position: absolute;
  inset: 0 0 auto;
}
.row {
  min-height: 48px;
  padding: 0 8px 0 4px;
  border-bottom: 1px solid var(--rule);
  cursor: pointer;
}
.at {
  background: var(--wash);
}
.chosen {
  box-shadow: inset 3px 0 var(--ink);
}
.row:focus-visible,
.folder:focus-visible {
  outline-offset: -2px;
}
.folder {
  display: flex;
  gap: 9px;
  align-items: center;
  min-height: 34px;
  border-bottom: 1px solid var(--rule);
  cursor: pointer;
}
.over {
  background: var(--wash);
  box-shadow: inset 0 0 0 2px var(--ink);
}
.sign {
  width: 9px;
  color: var(--faint);
}
.called {
  overflow-wrap: anywhere;
}
.acts {
  display: flex;
  gap: 12px;
  margin-left: auto;
  padding-right: 12px;
  opacity: 0;
}
.folder:hover .acts,
.folder:focus-within .acts {
  opacity: 1;
}
input[type='checkbox'] {
  accent-color: var(--ink);
  width: 14px;
  height: 14px;
  margin: 0;
}
.set {
  display: flex;
  gap: 11px;
  align-items: center;
  font-weight: 650;
  min-width: 0;
}
.named-for {
  display: grid;
  min-width: 0;
  padding: 5px 0;
}
.title {
  line-height: 1.2;
}
.target {
  font-weight: 400;
  font-size: 12px;
}
.of-kind {
  display: inline-block;
  margin-left: 4px;
}
.tag {
  margin-left: 6px;
  padding: 0 4px;
  border: 1px solid var(--rule);
}
.marks {
  display: flex;
  gap: 8px;
  margin-left: auto;
  padding-right: 8px;
  font-weight: 400;
  white-space: nowrap;
}
.note {
  color: var(--soft);
}
.work {
  font-size: 12px;
}
.asked {
  color: var(--ochre);
  font-weight: 600;
}
.hole {
  width: 36px;
  height: 36px;
}
.cell {
  display: flex;
  gap: 3px;
  align-items: center;
}
.cell .mono {
  line-height: 1;
}
.lacks {
  width: 14px;
  text-align: center;
  color: var(--ochre);
}
</style>
