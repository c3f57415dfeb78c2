<script setup lang="ts">
import { computed, ref, toRef } from 'vue';
import { useRoute, useRouter } from 'vue-router';

import { useBoard } from '@/api/queries';
import { matching } from '@/lib/board';
import { useActions } from '@/lib/keys';

import SetList from './SetList.vue';

const props = defineProps<{ slug: string }>();
const board = useBoard(toRef(props, 'slug'));
const route = useRoute();
const router = useRouter();
const wanted = ref('');
const waiting = computed(() => {
  const project = board.data.value?.project;
  return project ? project.questions || project.open_files : 0;
});
const renaming = computed(() => route.name === 'renames');
const field = ref<HTMLInputElement | null>(null);

const sets = computed(() => matching(board.data.value?.sets ?? [], wanted.value));

function go(by: number): void {
  const list = sets.value;
  const at = route.name === 'set' ? list.findIndex((set) => String(set.id) === route.params.id) : -1;
  const next = list[(at + by + list.length) % list.length] ?? list[0];
  if (next) void router.push({ name: 'set', params: { slug: props.slug, id: next.id } });
}

function openFirst(): void {
  const first = sets.value[0];
  if (first) void router.push({ name: 'set', params: { slug: props.slug, id: first.id } });
  field.value?.blur();
}

useActions({ search: () => field.value?.focus(), nextSet: () => go(1), previousSet: () => go(-1) });
</script>

<template>
  <nav class="side" aria-label="Project">
    <RouterLink class="item" :to="{ name: 'board', params: { slug } }" exact-active-class="here"
      >Board</RouterLink
    >
    <RouterLink class="item" :to="{ name: 'arrivals', params: { slug } }" exact-active-class="here">
      Arrivals
      <span v-if="waiting" class="count mono" :title="`${waiting} open`">{{ waiting }}</span>
    </RouterLink>
    <RouterLink class="item" :to="{ name: 'maps', params: { slug } }" exact-active-class="here"
      >Maps</RouterLink
    >
    <RouterLink class="item" :to="{ name: 'depot', params: { slug } }" exact-active-class="here"
      >Depot</RouterLink
    >
    <RouterLink class="item" :to="{ name: 'masters', params: { slug } }" active-class="here"
      >Masters</RouterLink
    >
    <RouterLink class="item" :to="{ name: 'deliveries', params: { slug } }" exact-active-class="here"
      >Deliveries</RouterLink
    >
    <RouterLink
      class="item"
      :to="{ name: 'rules', params: { slug } }"
      :class="{ here: renaming }"
      exact-active-class="here"
      >House rules</RouterLink
    >
    <RouterLink class="item" :to="{ name: 'checks', params: { slug } }" exact-active-class="here"
      >Checks</RouterLink
    >
    <RouterLink class="item" :to="{ name: 'tolerances', params: { slug } }" exact-active-class="here"
      >Tolerances</RouterLink
    >
    <div class="line" />
    <label class="search">
      <span class="hidden">Search the sets</span>
      <input
        ref="field"
        v-model="wanted"
        placeholder="Sets"
        @keydown.enter="openFirst"
        @keydown.esc="((wanted = ''), field?.blur())"
      />
      <kbd class="mono faint">/</kbd>
    </label>
    <SetList :slug="slug" :sets="sets" :wanted="wanted" :known="Boolean(board.data.value)" />
  </nav>
</template>

<style scoped>
.side {
  width: 196px;
  flex: none;
  border-right: 1px solid var(--rule);
  padding: 14px 0;
  display: flex;
  flex-direction: column;
  min-height: 0;
}
.item {
  display: flex;
  justify-content: space-between;
  align-items: center;
  gap: 6px;
  min-height: 28px;
  padding: 0 12px 0 14px;
  border-left: 3px solid transparent;
  color: var(--soft);
}
.item:hover {
  color: var(--ink);
}
.item:focus-visible {
  outline-offset: -2px;
}
.here {
  color: var(--ink);
  font-weight: 650;
  border-left-color: var(--madder);
}
.count {
  color: var(--ochre);
}
.line {
  border-top: 1px solid var(--rule);
  margin: 10px 14px 6px 17px;
}
.search {
  display: flex;
  align-items: center;
  padding: 0 12px 0 17px;
  margin-bottom: 2px;
}
.search input {
  width: 100%;
  border: 0;
  background: none;
  color: var(--ink);
  padding: 4px 0;
  font-weight: 600;
  outline: none;
}
.search:focus-within {
  box-shadow: inset 0 -1px var(--ink);
}
.search input::placeholder {
  color: var(--ink);
  opacity: 1;
}
.hidden {
  position: absolute;
  clip-path: inset(50%);
}
</style>
