<script setup lang="ts">
// The sets of a project at the side: in their folders, each to be folded, with how they stand. Sets are dragged onto folders.
import { ref, toRef } from 'vue';

import { useMany } from '@/api/many';
import { useMayWork } from '@/api/queries';
import { standingOf } from '@/lib/board';
import type { Line } from '@/lib/boardview';
import { drag, dragged, ended } from '@/lib/dragging';

import StateGlyph from './StateGlyph.vue';
import WholeName from './WholeName.vue';

const props = defineProps<{ slug: string; lines: Line[]; wanted: string; known: boolean }>();
const emit = defineEmits<{ fold: [id: number] }>();
const slug = toRef(props, 'slug');
const mayWork = useMayWork(slug);
const many = useMany(slug);
const over = ref<number | null>(null);

function hover(event: DragEvent, folder: number): void {
  if (!dragged(event)) return;
  event.preventDefault();
  over.value = folder;
}
function drop(event: DragEvent, folder: number, name: string): void {
  const what = dragged(event);
  over.value = null;
  if (!what) return;
  event.preventDefault();
  ended();
  if (what.folder !== null) {
    if (what.folder !== folder) void many.moveFolder(what.folder, folder);
    return;
  }
  const count = what.sets.length === 1 ? '1 set' : `${what.sets.length} sets`;
  void many.change(what.sets, { place: { folder } }, `${count} moved to ${name}.`);
}
</script>

<template>
  <div v-rove class="sets" @dragend="((over = null), ended())">
    <template v-for="line in lines" :key="line.kind === 'set' ? line.set.id : `f${line.folder.id}`">
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
        @drop="drop($event, line.folder.id, line.folder.path)"
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
    </template>
    <p v-if="known && !lines.length" class="soft none">
      {{ wanted ? 'No set of that name.' : 'No sets yet.' }}
    </p>
  </div>
</template>

<style scoped>
.sets {
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
