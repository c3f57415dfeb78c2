<script setup lang="ts">
// Every map of the project in one list, however long, with what was measured on the chosen one.
import InputText from 'primevue/inputtext';
import VirtualScroller from 'primevue/virtualscroller';
import { computed, nextTick, onBeforeUnmount, ref, watch } from 'vue';
import { useRoute } from 'vue-router';

import { useMaps, type MapLine } from '@/api/arriving';
import { useMayWork } from '@/api/queries';
import { useAddress } from '@/lib/page/address';
import { bytesWords, sampleWords, sizeWords } from '@/lib/values/format';
import { useActions } from '@/lib/page/keys';
import FilePanel from '@/parts/arrivals/FilePanel.vue';
import Trouble from '@/parts/widgets/Trouble.vue';
import { counted } from '@/lib/values/local';

const ROW = 34;
/** Milliseconds without scrolling that count as rest. */
const REST = 90;
/** Milliseconds without a key that count as typed. */
const TYPED = 200;
const route = useRoute();
const slug = computed(() => String(route.params.slug));
const mayWork = useMayWork(slug);
/** What is searched for: what was typed, once the typing rests. */
const wanted = useAddress('q', '');
const typed = ref(wanted.value);
let typing = 0;
watch(typed, (now) => {
  window.clearTimeout(typing);
  typing = window.setTimeout(() => (wanted.value = now.trim()), TYPED);
});
const { lines, see, known, trouble } = useMaps(slug, wanted);
const field = ref<{ $el: HTMLInputElement } | null>(null);
const scroller = ref<InstanceType<typeof VirtualScroller> | null>(null);
const file = useAddress('file', 0);
const chosen = computed({
  get: () => file.value || null,
  set: (to) => (file.value = to ?? 0),
});

const at = computed(() => lines.value.findIndex((line) => line?.id === chosen.value));

watch(
  () => lines.value[0]?.id,
  (first) => {
    if (chosen.value === null && first !== undefined) chosen.value = first;
  },
  { immediate: true },
);
// The one that the address names is scrolled to, once its line is here.
const stop = watch(at, (now) => {
  if (now < 0) return;
  void nextTick(() => intoSight(now));
  queueMicrotask(() => stop());
});

function go(by: number): void {
  const next = lines.value[Math.max(0, Math.min(lines.value.length - 1, at.value + by))];
  if (!next) return;
  chosen.value = next.id;
  intoSight(at.value);
}
function intoSight(index: number): void {
  (scroller.value as { scrollInView?: (index: number) => void } | null)?.scrollInView?.(index);
}
function nameOf(path: string): string {
  return path.slice(path.lastIndexOf('/') + 1);
}
function folderOf(path: string): string {
  return path.slice(0, path.lastIndexOf('/') + 1);
}
/** Pictures are fetched where scrolling rests: fetching those that only pass by would make it stumble. */
const moving = ref(false);
const shown = new Set<number>();
let resting = 0;
function scrolled(): void {
  moving.value = true;
  window.clearTimeout(resting);
  resting = window.setTimeout(() => (moving.value = false), REST);
}
onBeforeUnmount(() => {
  window.clearTimeout(resting);
  window.clearTimeout(typing);
});
function small(line: MapLine): string {
  return `/api/files/${line.id}/picture?view=RGB&size=small&v=${line.stamp}`;
}
useActions({ next: () => go(1), previous: () => go(-1), search: () => field.value?.$el.focus() });
</script>

<template>
  <Trouble v-if="trouble" :error="trouble.error" @again="trouble.refetch()" />
  <main v-else class="page">
    <div class="list">
      <header class="top">
        <h1>Maps</h1>
        <InputText
          ref="field"
          v-model="typed"
          placeholder="Search by path, set or size"
          aria-label="Search the maps"
        />
        <span class="mono soft">{{ counted(lines.length) }}</span>
      </header>
      <VirtualScroller
        v-if="lines.length"
        ref="scroller"
        :items="lines"
        :item-size="ROW"
        :num-tolerated-items="12"
        class="scroller"
        role="listbox"
        aria-label="Maps"
        :aria-activedescendant="chosen ? `map-${chosen}` : undefined"
        @keydown.down.prevent="go(1)"
        @keydown.up.prevent="go(-1)"
        @keydown.home.prevent="go(-lines.length)"
        @keydown.end.prevent="go(lines.length)"
        @scroll="scrolled"
        @scroll-index-change="({ first, last }: { first: number; last: number }) => see(first, last)"
      >
        <template #item="{ item }: { item: MapLine | undefined }">
          <div v-if="!item" class="row" role="option" aria-selected="false" aria-busy="true">
            <span class="thumb" /><span class="soft">…</span>
          </div>
          <div
            v-else
            :id="`map-${item.id}`"
            class="row"
            role="option"
            :class="{ chosen: item.id === chosen }"
            :aria-selected="item.id === chosen"
            @click="chosen = item.id"
          >
            <img
              v-if="!moving || shown.has(item.id)"
              class="thumb"
              :src="small(item)"
              alt=""
              width="26"
              height="26"
              @load="shown.add(item.id)"
            />
            <span v-else class="thumb" />
            <span class="mono path" :title="item.path"
              ><span class="folder soft">{{ folderOf(item.path) }}</span
              ><span class="file">{{ nameOf(item.path) }}</span></span
            >
            <span class="home" :class="{ soft: !item.set_name }">{{
              item.set_name ?? (item.aside ? 'set aside' : 'open')
            }}</span>
            <span class="mono soft size">{{ sizeWords(item.width, item.height) }}</span>
            <span class="mono soft">{{ item.channels }}</span>
            <span class="soft">{{ sampleWords(item.sample).replace('32-bit ', '') }}</span>
            <span class="mono soft size">{{ bytesWords(item.bytes) }}</span>
          </div>
        </template>
      </VirtualScroller>
      <p v-else-if="known" class="soft none">
        {{
          wanted
            ? 'No map is called so, of a set called so, or of that size.'
            : 'Nothing has come yet. Drop files anywhere in this project.'
        }}
      </p>
    </div>
    <FilePanel v-if="chosen" :key="chosen" :file-id="chosen" :slug="slug" :may-work="mayWork" />
  </main>
</template>

<style scoped>
.page {
  flex: 1;
  min-width: 0;
  min-height: 0;
  display: flex;
}
.list {
  flex: 1;
  min-width: 0;
  display: flex;
  flex-direction: column;
  padding: 18px 0 0 20px;
}
.top {
  display: flex;
  align-items: center;
  gap: 16px;
  padding: 0 16px 12px 0;
  border-bottom: 1px solid var(--ink);
}
.top .p-inputtext {
  flex: 1;
  max-width: 340px;
}
.scroller {
  flex: 1;
  min-height: 0;
}
.row {
  display: grid;
  grid-template-columns: 26px minmax(0, 1fr) 104px 62px 34px 54px 58px;
  white-space: nowrap;
  gap: 10px;
  align-items: center;
  height: 34px;
  padding: 0 16px 0 9px;
  border-bottom: 1px solid var(--rule);
  cursor: default;
}
.thumb {
  width: 26px;
  height: 26px;
  background: var(--well);
}
.row:hover {
  background: var(--wash);
}
.chosen {
  background: var(--wash);
  box-shadow: inset 3px 0 var(--madder);
}
.home {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
/* What tells files apart stands at the end: it is the folder that is cut. */
.path {
  display: flex;
  min-width: 0;
}
.folder {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  flex: 0 100 auto;
  min-width: 0;
}
.file {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  flex: none;
  max-width: 100%;
}
.size {
  text-align: right;
}
.none {
  padding: 18px 0;
}
</style>
