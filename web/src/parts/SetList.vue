<script setup lang="ts">
// The sets of a project at the side: by the folder that their files came in, each folder to be folded, with how they stand.
import { computed, ref, watch } from 'vue';
import { useRoute } from 'vue-router';

import type { Board } from '@/api/client';
import { byFolder, standingOf } from '@/lib/board';

import StateGlyph from './StateGlyph.vue';
import WholeName from './WholeName.vue';

const props = defineProps<{ slug: string; sets: Board['sets']; wanted: string; known: boolean }>();
const route = useRoute();
const key = computed(() => `fair-texel.folded.${props.slug}`);
const folded = ref<string[]>([]);
watch(key, (now) => (folded.value = remembered(now)), { immediate: true });
const folders = computed(() => byFolder(props.sets));

function remembered(where: string): string[] {
  try {
    const kept: unknown = JSON.parse(localStorage.getItem(where) ?? '[]');
    return Array.isArray(kept) ? kept.filter((entry) => typeof entry === 'string') : [];
  } catch {
    return [];
  }
}
function fold(folder: string): void {
  folded.value = folded.value.includes(folder)
    ? folded.value.filter((entry) => entry !== folder)
    : [...folded.value, folder];
  localStorage.setItem(key.value, JSON.stringify(folded.value));
}
/** What is searched for is shown, folded or not; so is the folder of the open set. */
function isOpen(folder: string, sets: Board['sets']): boolean {
  const here = route.name === 'set' && sets.some((set) => String(set.id) === route.params.id);
  return !folded.value.includes(folder) || Boolean(props.wanted.trim()) || here;
}
</script>

<template>
  <div v-rove class="sets">
    <template v-for="group in folders" :key="group.folder">
      <button
        v-if="group.folder"
        type="button"
        data-rove
        class="plain folder"
        :aria-expanded="isOpen(group.folder, group.sets)"
        :title="group.folder"
        @click="fold(group.folder)"
      >
        <span class="sign" aria-hidden="true">{{ isOpen(group.folder, group.sets) ? '–' : '+' }}</span>
        <span class="path">{{ group.title }}</span>
        <StateGlyph v-if="group.standing !== 'holds'" :state="group.standing" />
        <span class="mono number">{{ group.sets.length }}</span>
      </button>
      <template v-if="!group.folder || isOpen(group.folder, group.sets)">
        <RouterLink
          v-for="set in group.sets"
          :key="set.id"
          data-rove
          class="item"
          :class="{ inside: group.folder }"
          :to="{ name: 'set', params: { slug, id: set.id } }"
          :title="set.name"
          active-class="here"
        >
          <WholeName class="name" :name="set.name" />
          <StateGlyph v-if="standingOf(set) !== 'holds'" :state="standingOf(set)" />
        </RouterLink>
      </template>
    </template>
    <p v-if="known && !sets.length" class="soft none">
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
.inside {
  padding-left: 27px;
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
  position: sticky;
  top: 0;
  background: var(--paper);
}
.sign {
  width: 8px;
  flex: none;
  color: var(--faint);
}
.path {
  flex: 1;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  direction: rtl;
  text-align: left;
  unicode-bidi: plaintext;
}
.number {
  color: var(--faint);
}
.none {
  padding: 4px 17px;
}
</style>
