<script setup lang="ts">
// What can be done to the chosen sets at once.
import Button from 'primevue/button';
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
import FormDialog from '@/parts/widgets/FormDialog.vue';
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
const KINDS = [
  { surface: true, text: 'surfaces' },
  { surface: false, text: 'masks and details' },
];
const kind = ref<boolean | null>(null);
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
  kind.value = null;
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
async function treat(): Promise<void> {
  const surface = kind.value ?? true;
  const said = surface ? `${words.value} are treated as surfaces.` : `${words.value} hold masks and details.`;
  if (await many.change(ids.value, { surface }, said)) form.value = null;
}
/** What each form is for, and whether something is missing for it yet. */
const acts = computed<Record<Form, { label: string; lacks: boolean; run: () => Promise<void> }>>(() => ({
  dress: { label: `Dress ${words.value}`, lacks: !master.value, run: () => begin('dress', master.value) },
  move: { label: `Move ${words.value}`, lacks: false, run: move },
  target: { label: `Change ${words.value}`, lacks: false, run: retarget },
  kind: { label: `Treat ${words.value} so`, lacks: kind.value === null, run: treat },
  tag: { label: 'Add', lacks: !added.value.length, run: tag },
}));
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
  <FormDialog
    v-if="form"
    :title="`${TITLES[form]}: ${words}`"
    :act="acts[form].label"
    :disabled="acts[form].lacks"
    @close="form = null"
    @submit="acts[form].run()"
  >
    <template v-if="form === 'dress'">
      <p>Each set gets a variant of the newest version. Sets that have one of that master keep it.</p>
      <Select
        v-model="master"
        :options="masters.data.value ?? []"
        option-label="title"
        option-value="name"
        aria-label="Master"
      />
    </template>
    <template v-else-if="form === 'move'">
      <p>Chosen rows can also be dragged onto a folder.</p>
      <Select
        v-model="folder"
        :options="places"
        option-label="path"
        option-value="id"
        aria-label="Folder"
        filter
      />
    </template>
    <template v-else-if="form === 'target'">
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
    </template>
    <template v-else-if="form === 'kind'">
      <p>
        What is no surface holds masks and details that masters read beside one: a target asks of it only for
        what it has.
      </p>
      <Select
        v-model="kind"
        :options="KINDS"
        option-label="text"
        option-value="surface"
        placeholder="What they are"
        aria-label="What they are"
      />
    </template>
    <InputText
      v-else
      v-model="tags"
      placeholder="hero, wet stone"
      aria-label="Tags to add, with commas between"
    />
    <template v-if="form === 'tag' && had.length" #below>
      <p class="soft">They have now:</p>
      <div v-for="[name, number] in had" :key="name" class="had">
        <span>{{ name }}</span>
        <span class="soft">{{ number === count ? 'all' : `${number} of ${count}` }}</span>
        <button type="button" class="plain link soft" @click="untag(name)">Take away</button>
      </div>
    </template>
  </FormDialog>
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
.had {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto auto;
  gap: 14px;
}
</style>
