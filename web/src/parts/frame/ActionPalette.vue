<script setup lang="ts">
// Every action of the page, every page and every set, found by its name.
import Dialog from 'primevue/dialog';
import InputText from 'primevue/inputtext';
import { computed, nextTick, onBeforeUnmount, onMounted, ref, watch } from 'vue';
import { useRouter } from 'vue-router';

import { useBoard } from '@/api/queries';
import { keyOf, offeredNow } from '@/lib/page/keys';
import { useAppearance } from '@/stores/appearance';

const props = defineProps<{ slug: string }>();
const router = useRouter();
const appearance = useAppearance();
const board = useBoard(computed(() => props.slug));
const MOST = 40;
const PAGES = [
  'board',
  'arrivals',
  'maps',
  'depot',
  'masters',
  'deliveries',
  'rules',
  'renames',
  'checks',
  'tolerances',
] as const;

interface Line {
  id: string;
  name: string;
  kind: string;
  keys: string;
  run: () => unknown;
}
const shown = ref(false);
const wanted = ref('');
const at = ref(0);
const list = ref<HTMLElement | null>(null);
/** What the page offered when the palette was opened. */
const actions = ref<Line[]>([]);

function go(name: string, params: object = {}): Promise<unknown> {
  return router.push({ name, params: { slug: props.slug, ...params } });
}
const places = computed<Line[]>(() => [
  ...PAGES.map((name) => ({
    id: `page-${name}`,
    name: String(router.resolve({ name, params: { slug: props.slug } }).meta.title),
    kind: 'page',
    keys: '',
    run: () => go(name),
  })),
  { id: 'projects', name: 'Projects', kind: 'page', keys: '', run: () => router.push('/') },
  { id: 'account', name: 'Account', kind: 'page', keys: '', run: () => router.push('/account') },
  {
    id: 'appearance',
    name: appearance.evening ? 'Light' : 'Dark',
    kind: 'action',
    keys: '',
    run: () => appearance.toggle(),
  },
  ...(board.data.value?.sets ?? []).map((set) => ({
    id: `set-${set.id}`,
    name: set.name,
    kind: 'set',
    keys: '',
    run: () => go('set', { id: set.id }),
  })),
]);
const found = computed(() => {
  const words = wanted.value.trim().toLocaleLowerCase().split(/\s+/);
  const all = [...actions.value, ...places.value].filter((line) =>
    words.every((word) => line.name.toLocaleLowerCase().includes(word)),
  );
  // What begins with what was typed goes first.
  const begins = (line: Line) => line.name.toLocaleLowerCase().startsWith(words.join(' '));
  return all.sort((a, b) => Number(begins(b)) - Number(begins(a))).slice(0, MOST);
});
watch(found, () => (at.value = 0));

function open(): void {
  actions.value = offeredNow()
    .filter(({ entry }) => !entry.aside)
    .map(({ id, entry, run }) => ({ id, name: entry.does, kind: 'action', keys: keyOf(entry), run }));
  wanted.value = '';
  shown.value = true;
}
function move(by: number): void {
  at.value = (at.value + by + found.value.length) % Math.max(1, found.value.length);
  void nextTick(() =>
    list.value?.querySelector('[aria-selected=true]')?.scrollIntoView({ block: 'nearest' }),
  );
}
function run(line: Line | undefined): void {
  if (!line) return;
  shown.value = false;
  // After the dialog has given the focus back.
  setTimeout(() => void line.run());
}
function key(event: KeyboardEvent): void {
  if (event.key.toLowerCase() !== 'k' || !(event.ctrlKey || event.metaKey) || event.altKey || event.shiftKey)
    return;
  event.preventDefault();
  if (shown.value) shown.value = false;
  else open();
}
onMounted(() => window.addEventListener('keydown', key));
onBeforeUnmount(() => window.removeEventListener('keydown', key));
</script>

<template>
  <Dialog
    v-model:visible="shown"
    modal
    dismissable-mask
    position="top"
    header="Find an action"
    class="palette"
  >
    <InputText
      v-model="wanted"
      class="field"
      placeholder="An action, a page or a set"
      autofocus
      role="combobox"
      aria-label="Find an action"
      aria-expanded="true"
      aria-controls="palette-list"
      :aria-activedescendant="found[at] ? `palette-${found[at]?.id}` : undefined"
      @keydown.down.prevent="move(1)"
      @keydown.up.prevent="move(-1)"
      @keydown.enter.prevent="run(found[at])"
    />
    <div v-if="found.length" id="palette-list" ref="list" class="list" role="listbox" aria-label="Actions">
      <div
        v-for="(line, index) in found"
        :id="`palette-${line.id}`"
        :key="line.id"
        class="line"
        role="option"
        :aria-selected="index === at"
        @mousemove="at = index"
        @click="run(line)"
      >
        <span>{{ line.name }}</span>
        <span class="soft">{{ line.kind === 'action' ? '' : line.kind }}</span>
        <kbd class="mono soft">{{ line.keys }}</kbd>
      </div>
    </div>
    <p v-else class="soft none" role="status">Nothing here is called so.</p>
  </Dialog>
</template>

<style scoped>
.field {
  width: min(520px, 84vw);
}
.list {
  margin-top: 8px;
  max-height: 50vh;
  overflow: auto;
}
.line {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto 64px;
  gap: 12px;
  align-items: center;
  min-height: 28px;
  padding: 0 8px;
  cursor: default;
}
.line[aria-selected='true'] {
  background: var(--wash);
  box-shadow: inset 3px 0 var(--madder);
}
.line kbd {
  text-align: right;
}
.none {
  padding: 12px 8px 4px;
}
</style>
