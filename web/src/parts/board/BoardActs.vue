<script setup lang="ts">
// What can be done to the chosen sets at once.
import Button from 'primevue/button';
import Dialog from 'primevue/dialog';
import InputText from 'primevue/inputtext';
import Select from 'primevue/select';
import { computed, ref, toRef } from 'vue';

import { useMany, type Action } from '@/lib/page/many';
import type { Board } from '@/api/client';
import { useMasters } from '@/api/queries';
import { usualMaster } from '@/lib/values/variants';
import { useBeginnings } from '@/api/studio';
import { useAsk } from '@/lib/page/ask';
import { download } from '@/lib/page/download';
import { useActions } from '@/lib/page/keys';
import LacksLine from '@/parts/targets/LacksLine.vue';
import { contactSheet } from '@/stage/sheet';

const props = defineProps<{ slug: string; board: Board; chosen: ReadonlySet<number>; busy: boolean }>();
const emit = defineEmits<{ begun: [bulk: number]; clear: [] }>();
const many = useMany(toRef(props, 'slug'));
const ask = useAsk();
const masters = useMasters();
const beginnings = useBeginnings();

const ids = computed(() => [...props.chosen]);
const count = computed(() => ids.value.length);
const words = computed(() => (count.value === 1 ? '1 set' : `${count.value} sets`));
type Form = 'dress' | 'move' | 'tag' | 'target' | 'kind';
const form = ref<Form | null>(null);
const TITLES: Record<Form, string> = {
  dress: 'Dress with a master',
  move: 'Move to a folder',
  tag: 'Tags',
  target: 'Change the target',
  kind: 'Surfaces, or masks and details',
};
const master = ref('');
const folder = ref(0);
const target = ref('');
const targets = computed(() => [
  { name: '', title: 'All of the project' },
  ...(beginnings.data.value?.targets ?? []),
]);
const tags = ref('');
const places = computed(() => [
  { id: 0, path: 'the project itself, in no folder' },
  ...props.board.folders.map(({ id, path }) => ({ id, path })),
]);
/** Tags that chosen sets have, each with how many. */
const had = computed(() => {
  const found = new Map<string, number>();
  for (const set of props.board.sets)
    if (props.chosen.has(set.id)) for (const tag of set.tags) found.set(tag, (found.get(tag) ?? 0) + 1);
  return [...found].sort(([a], [b]) => a.localeCompare(b));
});
const added = computed(() =>
  tags.value
    .split(',')
    .map((tag) => tag.trim())
    .filter(Boolean),
);

/** How many sets stand on the contact sheet that is being drawn; null while none is. */
const drawn = ref<number | null>(null);
async function drawSheet(): Promise<void> {
  const { sets, project } = props.board;
  const shown = sets
    .filter((set) => props.chosen.has(set.id))
    .map(({ id, name, picture }) => ({ name, url: `/api/sets/${id}/lit?size=large&v=${picture}` }));
  drawn.value = 0;
  const sheet = await contactSheet(project.title, shown, (done) => (drawn.value = done));
  drawn.value = null;
  if (sheet) download(sheet, `${project.title} contact sheet.png`);
}
async function begin(action: Action, name = ''): Promise<void> {
  form.value = null;
  const made = await many.begin(action, ids.value, name);
  if (made) emit('begun', made.id);
}
function show(which: Form): void {
  master.value ||= usualMaster(masters.data.value ?? [])?.name ?? '';
  target.value ||= props.board.target.name;
  tags.value = '';
  form.value = which;
}
async function move(): Promise<void> {
  const place = { folder: folder.value || null };
  if (await many.change(ids.value, { place }, `${words.value} moved.`)) form.value = null;
}
async function retarget(): Promise<void> {
  if (await many.change(ids.value, { target: target.value }, `${words.value} given another target.`))
    form.value = null;
}
async function tag(): Promise<void> {
  if (await many.change(ids.value, { add_tags: added.value }, `${words.value} tagged.`)) tags.value = '';
}
function untag(name: string): void {
  void many.change(ids.value, { drop_tags: [name] }, `Tag ${name} taken away.`);
}
async function treat(surface: boolean): Promise<void> {
  const said = surface ? `${words.value} are treated as surfaces.` : `${words.value} hold masks and details.`;
  if (await many.change(ids.value, { surface }, said)) form.value = null;
}
function remove(): void {
  ask(
    `Remove ${words.value}?`,
    'Their files stay, and belong to no set. They can be brought back from the record for 30 days.',
    'Remove',
    () =>
      void many
        .change(ids.value, { remove: true }, `${words.value} removed.`)
        .then((ok) => ok && emit('clear')),
  );
}
useActions({
  build: () => void begin('build'),
  prove: () => void begin('prove'),
  deliver: () => void begin('deliver'),
  moveSets: () => show('move'),
  tagSets: () => show('tag'),
  unchoose: () => emit('clear'),
});
</script>

<template>
  <div class="acts" role="toolbar" :aria-label="`What to do with ${words}`">
    <strong>{{ words }} chosen</strong>
    <Button label="Build" :disabled="busy" @click="begin('build')" />
    <Button label="Prove" severity="secondary" :disabled="busy" @click="begin('prove')" />
    <Button label="Dress" severity="secondary" :disabled="busy" @click="show('dress')" />
    <Button label="Deliver" severity="secondary" :disabled="busy" @click="begin('deliver')" />
    <span class="line" />
    <button class="plain link" @click="show('target')">Target</button>
    <button class="plain link" @click="show('kind')">Kind</button>
    <button class="plain link" @click="show('move')">Move</button>
    <button class="plain link" @click="show('tag')">Tag</button>
    <button
      class="plain link"
      :disabled="drawn !== null"
      title="All of them lit, with their names, as one picture"
      @click="drawSheet"
    >
      {{ drawn === null ? 'Contact sheet' : `Drawing ${drawn} of ${count}` }}
    </button>
    <button class="plain link" @click="remove">Remove</button>
    <span class="space" />
    <button class="plain link soft" @click="emit('clear')">Choose none</button>
  </div>
  <Dialog
    :visible="form !== null"
    modal
    :draggable="false"
    :header="form ? `${TITLES[form]}: ${words}` : ''"
    @update:visible="form = null"
  >
    <form v-if="form === 'dress'" class="form" @submit.prevent="begin('dress', master)">
      <p>Each set gets a variant of the newest version. Sets that have one of that master keep it.</p>
      <Select
        v-model="master"
        :options="masters.data.value ?? []"
        option-label="title"
        option-value="name"
        aria-label="Master"
      />
      <Button type="submit" :label="`Dress ${words}`" :disabled="!master" />
    </form>
    <form v-else-if="form === 'move'" class="form" @submit.prevent="move">
      <p>Chosen rows can also be dragged onto a folder.</p>
      <Select
        v-model="folder"
        :options="places"
        option-label="path"
        option-value="id"
        aria-label="Folder"
        filter
      />
      <Button type="submit" :label="`Move ${words}`" />
    </form>
    <form v-else-if="form === 'target'" class="form" @submit.prevent="retarget">
      <p>What was built for the target of today is kept, and is current again if you change back.</p>
      <LacksLine :slug="slug" :target="target" :sets="ids" />
      <Select
        v-model="target"
        :options="targets"
        option-label="title"
        option-value="name"
        placeholder="All of the project"
        aria-label="Target"
      />
      <Button type="submit" :label="`Change ${words}`" />
    </form>
    <div v-else-if="form === 'kind'" class="form">
      <p>
        What is no surface holds masks and details that masters read beside one: a target asks of it only for
        what it has.
      </p>
      <div class="kinds">
        <Button label="They are surfaces" severity="secondary" @click="treat(true)" />
        <Button label="They hold masks and details" severity="secondary" @click="treat(false)" />
      </div>
    </div>
    <form v-else-if="form === 'tag'" class="form" @submit.prevent="tag">
      <InputText v-model="tags" placeholder="hero, wet stone" aria-label="Tags to add, with commas between" />
      <Button type="submit" label="Add" :disabled="!added.length" />
      <p v-if="had.length" class="soft">They have now:</p>
      <div v-for="[name, number] in had" :key="name" class="had">
        <span>{{ name }}</span>
        <span class="soft">{{ number === count ? 'all' : `${number} of ${count}` }}</span>
        <button type="button" class="plain link soft" @click="untag(name)">Take away</button>
      </div>
    </form>
  </Dialog>
</template>

<style scoped>
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 8px;
  align-items: center;
  min-height: 28px;
  margin-bottom: 12px;
}
.line {
  border-left: 1px solid var(--rule);
  height: 20px;
}
.space {
  flex: 1;
}
.form {
  display: grid;
  gap: 12px;
  width: 360px;
  justify-items: start;
}
.form .p-select,
.form .p-inputtext {
  width: 100%;
}
.kinds {
  display: flex;
  gap: 8px;
}
.had {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto auto;
  gap: 14px;
  width: 100%;
}
</style>
