<script setup lang="ts">
// The sets of a project at the side: in their folders, each to be folded, with how they stand. Sets are dragged onto folders.
import { useVirtualizer } from '@tanstack/vue-virtual';
import { computed, nextTick, ref, toRef, watch } from 'vue';
import { useRoute } from 'vue-router';

import { useMany } from '@/lib/page/many';
import { useMayWork } from '@/api/queries';
import { standingOf } from '@/parts/board/board';
import type { Line } from '@/parts/board/boardview';
import { drag, dragged, ended } from '@/lib/page/dragging';

import StateGlyph from '@/parts/widgets/StateGlyph.vue';
import WholeName from '@/parts/widgets/WholeName.vue';

const props = defineProps<{ slug: string; lines: Line[]; wanted: string; known: boolean }>();
const emit = defineEmits<{ fold: [id: number] }>();
const slug = toRef(props, 'slug');
const mayWork = useMayWork(slug);
const many = useMany(slug);
const over = ref<number | null>(null);

const list = ref<HTMLElement | null>(null);
/** Only what is in sight is drawn: there may be thousands. */
const rows = useVirtualizer(
  computed(() => ({
    count: props.lines.length,
    getScrollElement: () => list.value,
    estimateSize: () => 28,
    getItemKey: (index: number) => {
      const line = props.lines[index];
      return line ? (line.kind === 'set' ? `s${line.set.id}` : `f${line.folder.id}`) : index;
    },
    overscan: 10,
  })),
);
const drawn = computed(() =>
  rows.value.getVirtualItems().flatMap((item) => {
    const line = props.lines[item.index];
    return line ? [{ item, line }] : [];
  }),
);
const route = useRoute();
/** The open set is in sight. */
watch(
  [() => route.params.id, () => props.known],
  async () => {
    const at = props.lines.findIndex(
      (line) => line.kind === 'set' && String(line.set.id) === route.params.id,
    );
    await nextTick();
    if (route.name === 'set' && at >= 0) rows.value.scrollToIndex(at, { align: 'auto' });
  },
  { immediate: true },
);

function hover(event: DragEvent, folder: number): void {
  if (!dragged(event)) return;
  event.preventDefault();
  over.value = folder;
}
function drop(event: DragEvent, folder: number): void {
  const what = dragged(event);
  over.value = null;
  if (!what) return;
  event.preventDefault();
  ended();
  many.drop(what, folder);
}
</script>

<template>
  <div ref="list" v-rove class="sets" @dragend="((over = null), ended())">
    <div class="all" :style="{ height: `${rows.getTotalSize()}px` }">
      <div
        v-for="{ item, line } in drawn"
        :key="String(item.key)"
        :ref="(element) => rows.measureElement(element as Element | null)"
        class="place"
        :data-index="item.index"
        :style="{ transform: `translateY(${item.start}px)` }"
      >
        <button
          v-if="line.kind === 'folder'"
          type="button"
          data-rove
          class="plain folder"
          :class="{ over: over === line.folder.id }"
          :aria-expanded="line.open"
          :title="line.folder.path"
          :draggable="mayWork"
          :style="{ paddingLeft: `${17 + line.depth * 11}px` }"
          @click="emit('fold', line.folder.id)"
          @dragstart="drag($event, { sets: [], folder: line.folder.id }, line.folder.name)"
          @dragover="hover($event, line.folder.id)"
          @dragleave="over = null"
          @drop="drop($event, line.folder.id)"
        >
          <span class="sign" aria-hidden="true">{{ line.open ? '–' : '+' }}</span>
          <span class="path">{{ line.folder.name }}</span>
          <StateGlyph v-if="line.count && line.standing !== 'holds'" :state="line.standing" />
          <span class="mono number">{{ line.count }}</span>
        </button>
        <RouterLink
          v-else
          data-rove
          class="item"
          :to="{ name: 'set', params: { slug, id: line.set.id } }"
          :title="line.set.name"
          active-class="here"
          :draggable="mayWork"
          :style="{ paddingLeft: `${14 + (line.depth ? 13 + (line.depth - 1) * 11 : 0)}px` }"
          @dragstart="drag($event, { sets: [line.set.id], folder: null }, line.set.name)"
        >
          <WholeName class="name" :name="line.set.name" />
          <StateGlyph v-if="standingOf(line.set) !== 'holds'" :state="standingOf(line.set)" />
        </RouterLink>
      </div>
    </div>
    <p v-if="known && !lines.length" class="soft none">
      {{ wanted ? 'No set of that name.' : 'No sets yet.' }}
    </p>
  </div>
</template>

<style scoped>
.all {
  position: relative;
}
.place {
  position: absolute;
  inset: 0 0 auto;
}
.sets {
  flex: 1;
  overflow: auto;
  min-height: 0;
}
.item {
  display: flex;
  justify-content: space-between;
  align-items: center;
  gap: 6px;
  min-height: 28px;
  padding: 3px 12px 3px 14px;
  border-left: 3px solid transparent;
  color: var(--soft);
}
.item:hover {
  color: var(--ink);
}
.item:focus-visible,
.folder:focus-visible {
  outline-offset: -2px;
}
.here {
  color: var(--ink);
  font-weight: 650;
  border-left-color: var(--madder);
}
.name {
  overflow-wrap: anywhere;
  line-height: 1.2;
}
.folder {
  display: flex;
  gap: 5px;
  align-items: center;
  width: 100%;
  min-height: 28px;
  padding: 0 12px 0 17px;
  color: var(--ink);
  text-align: left;
  cursor: pointer;
}
.sign {
  width: 8px;
  flex: none;
  color: var(--faint);
}
.path {
  flex: 1;
  overflow-wrap: anywhere;
}
.over {
  box-shadow: inset 0 0 0 2px var(--ink);
}
.number {
  color: var(--faint);
}
.none {
  padding: 4px 17px;
}
</style>
