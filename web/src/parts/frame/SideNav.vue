<script setup lang="ts">
import { computed, nextTick, ref, toRef, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';

import { useBoard } from '@/api/queries';
import { useCarried } from '@/lib/page/address';
import { PLAIN, inFolders, looked } from '@/parts/board/boardview';
import { useFolded } from '@/parts/board/boardlook';
import { useActions } from '@/lib/page/keys';

import LookedAt from './LookedAt.vue';
import PageGroups from './PageGroups.vue';
import SetList from './SetList.vue';

const props = defineProps<{ slug: string }>();
const board = useBoard(toRef(props, 'slug'));
const route = useRoute();
const router = useRouter();
const wanted = useCarried('sets');
/** Where there is little room the list is drawn out when it is wanted. */
const drawn = ref(false);
watch(
  () => route.fullPath,
  () => (drawn.value = false),
);
const waiting = computed(() => {
  const project = board.data.value?.project;
  return project ? project.questions || project.open_files : 0;
});
const field = ref<HTMLInputElement | null>(null);

const { folded, fold } = useFolded(toRef(props, 'slug'));
const sets = computed(() =>
  board.data.value ? looked(board.data.value, { ...PLAIN, words: wanted.value }) : [],
);
/** What is searched for is shown, folded or not; so is the folder of the open set. */
const lines = computed(() => {
  const folders = board.data.value?.folders ?? [];
  const closed = new Set(wanted.value.trim() ? [] : folded.value);
  const here = sets.value.find((set) => route.name === 'set' && String(set.id) === route.params.id);
  for (let at = here?.folder ?? null; at !== null; at = folders.find(({ id }) => id === at)?.parent ?? null)
    closed.delete(at);
  return inFolders(sets.value, folders, closed, !wanted.value.trim());
});

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

function search(): void {
  drawn.value = true;
  void nextTick(() => field.value?.focus());
}
useActions({ search, nextSet: () => go(1), previousSet: () => go(-1) });
</script>

<template>
  <button class="plain opener" :aria-expanded="drawn" aria-controls="project" @click="drawn = !drawn">
    <span aria-hidden="true">{{ drawn ? '×' : '≡' }}</span><span class="unseen">Pages and sets</span>
  </button>
  <nav id="project" class="side" :class="{ drawn }" aria-label="Project" @keydown.esc="drawn = false">
    <LookedAt :slug="slug" />
    <PageGroups :slug="slug" :waiting="waiting" />
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
    <SetList :slug="slug" :lines="lines" :wanted="wanted" :known="Boolean(board.data.value)" @fold="fold" />
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
.opener {
  display: none;
}
@media (max-width: 1100px) {
  .opener {
    display: grid;
    place-items: start center;
    width: 34px;
    padding-top: 14px;
    flex: none;
    font-size: 18px;
    line-height: 1;
    border-right: 1px solid var(--rule);
  }
  .side:not(.drawn) {
    display: none;
  }
  .side.drawn {
    position: absolute;
    left: 34px;
    top: 0;
    bottom: 0;
    z-index: 40;
    background: var(--paper);
    box-shadow: 2px 0 10px rgb(0 0 0 / 14%);
  }
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
