<script setup lang="ts">
// What of the board is shown, in what order and columns; and views of it that were kept under a name.
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import Popover from 'primevue/popover';
import Select from 'primevue/select';
import { computed, nextTick, ref, toRef } from 'vue';

import { useMany, useSavedViews } from '@/lib/page/many';
import type { Board } from '@/api/client';
import type { BoardLook, Sort } from './boardview';
import { useActions } from '@/lib/page/keys';

import PickOne from '@/parts/widgets/PickOne.vue';

const props = defineProps<{
  slug: string;
  board: Board;
  look: BoardLook;
  narrowed: boolean;
  shown: number;
  mayWork: boolean;
  /** What is saved as a view. */
  query: () => string;
}>();
const emit = defineEmits<{ look: [change: Partial<BoardLook>]; all: []; take: [query: string] }>();
const columns = defineModel<'stages' | 'coverage'>('columns', { required: true });
const flat = defineModel<boolean>('flat', { required: true });

const ANY = 'any';
const SORTS: { value: Sort; text: string }[] = [
  { value: 'name', text: 'by name' },
  { value: 'touched', text: 'last changed first' },
  { value: 'worst', text: 'worst first' },
];
const COLUMNS = [
  { value: 'stages', text: 'stages' },
  { value: 'coverage', text: 'coverage' },
] as const;
const STANDS = { wrong: 'wrong', look: 'to look at', none: 'not yet', holds: 'holds' } as const;

interface Choice {
  value: string;
  text: string;
}
/** Each thing that can be asked for, by what the sets on the board have. */
const filters = computed(() => {
  const { sets, stages, wants } = props.board;
  const count = new Map<string, number>();
  const add = (key: string) => count.set(key, (count.get(key) ?? 0) + 1);
  const titles = new Map<string, string>();
  for (const wanted of Object.values(wants).flat()) titles.set(wanted.property, wanted.title);
  for (const set of sets) {
    for (const stage of stages) add(`stage ${stage}:${set.cells[stage]?.state ?? 'none'}`);
    for (const rule of set.rules) add(`rule ${rule}`);
    for (const tag of set.tags) add(`tag ${tag}`);
    add(`target ${set.target_name}`);
    titles.set(set.target_name, set.target);
    if (set.touched_by) add(`by ${set.touched_by}`);
    for (const key of set.lacks) add(`lacks ${key}`);
  }
  const choices = (kind: string, words: (value: string) => string): Choice[] =>
    [...count]
      .filter(([key]) => key.startsWith(`${kind} `))
      .map(([key, number]) => {
        const value = key.slice(kind.length + 1);
        return { value, text: `${words(value)} (${number})` };
      })
      .sort((a, b) => a.text.localeCompare(b.text));
  const stageWords = (value: string) => {
    const [stage = '', state = ''] = value.split(':');
    return `${stage}: ${STANDS[state as keyof typeof STANDS]}`;
  };
  const order = (choice: Choice) => stages.indexOf(choice.value.split(':')[0] ?? '');
  return [
    {
      field: 'stage',
      any: 'any stage',
      choices: choices('stage', stageWords).sort((a, b) => order(a) - order(b)),
    },
    { field: 'rule', any: 'any finding', choices: choices('rule', (rule) => rule.replaceAll('-', ' ')) },
    {
      field: 'lacks',
      any: 'any coverage',
      choices: choices('lacks', (key) => `lacks ${(titles.get(key) ?? key).toLowerCase()}`),
    },
    { field: 'target', any: 'any target', choices: choices('target', (name) => titles.get(name) ?? name) },
    { field: 'tag', any: 'any tag', choices: choices('tag', (tag) => tag) },
    { field: 'by', any: 'changed by anybody', choices: choices('by', (name) => `changed by ${name}`) },
  ] as const;
});
/** A filter that has nothing to choose from takes no room. */
const useful = computed(() =>
  filters.value.filter((entry) => entry.choices.length > 1 || props.look[entry.field]),
);
const folderName = computed(
  () => props.board.folders.find((folder) => folder.id === props.look.folder)?.path,
);

const slug = toRef(props, 'slug');
const views = useSavedViews(slug);
const many = useMany(slug);
const panel = ref<InstanceType<typeof Popover> | null>(null);
const name = ref('');
const shared = ref(false);
async function keep(): Promise<void> {
  if (await many.saveView(name.value, props.query(), shared.value)) name.value = '';
}
const more = ref<InstanceType<typeof Popover> | null>(null);
const active = computed(() => useful.value.filter((entry) => props.look[entry.field]));
const field = ref<HTMLElement | null>(null);
useActions({
  filter: () => {
    void nextTick(() => field.value?.querySelector('input')?.focus());
  },
});
</script>

<template>
  <div ref="field" class="filters" role="search" aria-label="What of the board is shown">
    <InputText
      class="words"
      :model-value="look.words"
      placeholder="Find by name, folder or tag"
      aria-label="Find sets on the board"
      @update:model-value="emit('look', { words: $event ?? '' })"
    />
    <button v-if="folderName" class="plain on" @click="emit('look', { folder: 0 })">
      in {{ folderName }} <span aria-hidden="true">×</span>
    </button>
    <button
      v-for="entry in active"
      :key="entry.field"
      class="plain on"
      :aria-label="`Without: ${entry.choices.find((choice) => choice.value === look[entry.field])?.text ?? look[entry.field]}`"
      @click="emit('look', { [entry.field]: '' })"
    >
      {{ entry.choices.find((choice) => choice.value === look[entry.field])?.text ?? look[entry.field] }}
      <span aria-hidden="true">×</span>
    </button>
    <button class="plain link soft" aria-haspopup="dialog" @click="more?.toggle($event)">Filter</button>
    <button v-if="narrowed" class="plain link soft" @click="emit('all')">
      Show all {{ board.sets.length }}
    </button>
    <span class="space" />
    <span v-if="narrowed" class="soft">{{ shown }} of {{ board.sets.length }}</span>
    <Select
      :model-value="look.sort"
      :options="SORTS"
      option-label="text"
      option-value="value"
      aria-label="Order"
      @update:model-value="emit('look', { sort: $event })"
    />
    <PickOne v-model="columns" label="Columns" :choices="COLUMNS" />
    <label class="check"><input type="checkbox" :checked="!flat" @change="flat = !flat" /> folders</label>
    <button class="plain link soft" aria-haspopup="dialog" @click="panel?.toggle($event)">Views</button>
  </div>
  <Popover ref="more">
    <div class="panel">
      <h2>Filter</h2>
      <label v-if="board.folders.length" class="line">
        <Select
          :model-value="look.folder"
          :options="[{ id: 0, path: 'any folder' }, ...board.folders]"
          option-label="path"
          option-value="id"
          aria-label="Folder"
          filter
          @update:model-value="emit('look', { folder: $event })"
        />
      </label>
      <label v-for="entry in useful" :key="entry.field" class="line">
        <Select
          :model-value="look[entry.field] || ANY"
          :options="[{ value: ANY, text: entry.any }, ...entry.choices]"
          option-label="text"
          option-value="value"
          :aria-label="entry.any"
          @update:model-value="emit('look', { [entry.field]: $event === ANY ? '' : $event })"
        />
      </label>
      <p v-if="!useful.length && !board.folders.length" class="soft">
        These sets are all alike: there is nothing to tell apart.
      </p>
    </div>
  </Popover>
  <Popover ref="panel">
    <div class="panel">
      <h2>Views</h2>
      <p v-if="!views.data.value?.length" class="soft">
        A view is what is filtered, the order and the columns, kept under a name.
      </p>
      <div v-for="view in views.data.value" :key="view.id" class="view">
        <button class="plain link" @click="(emit('take', view.query), panel?.hide())">{{ view.name }}</button>
        <span class="soft">{{ view.mine ? (view.shared ? 'shared' : '') : `of ${view.by}` }}</span>
        <button
          v-if="view.mine"
          class="plain link soft"
          :aria-label="`Remove the view ${view.name}`"
          @click="many.removeView(view.id)"
        >
          Remove
        </button>
      </div>
      <form class="save" @submit.prevent="keep">
        <InputText
          v-model="name"
          placeholder="name of this view"
          aria-label="Name of this view"
          maxlength="60"
        />
        <Button type="submit" label="Save" severity="secondary" :disabled="!name.trim()" />
        <label v-if="mayWork" class="check"
          ><input v-model="shared" type="checkbox" /> for everybody in the project</label
        >
      </form>
    </div>
  </Popover>
</template>

<style scoped>
.filters {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 12px;
  align-items: center;
  margin-bottom: 12px;
  min-height: 28px;
}
.words {
  width: 210px;
}
.on {
  padding: 2px 7px;
  border: 1px solid var(--ink);
}
.space {
  flex: 1;
}
.panel {
  display: grid;
  gap: 8px;
  width: 300px;
}
.line .p-select {
  width: 100%;
}
.view {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto auto;
  gap: 12px;
  overflow-wrap: anywhere;
}
.save {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  padding-top: 8px;
  border-top: 1px solid var(--rule);
}
.save .p-inputtext {
  flex: 1;
  min-width: 0;
}
</style>
