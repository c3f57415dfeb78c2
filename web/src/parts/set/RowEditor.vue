<script setup lang="ts">
// What a row reads and how: changed here, by hand, channel by channel.
import InputText from 'primevue/inputtext';
import Select from 'primevue/select';
import { computed, ref, watch } from 'vue';

import type { Assignment, ChannelName, FileView, LineView } from '@/api/client';

import PickOne from '@/parts/widgets/PickOne.vue';

const props = defineProps<{
  line: LineView;
  files: FileView[];
  openFiles: FileView[];
  mayWork: boolean;
  /** How the row is to be read, while that is not saved yet. */
  waiting?: Assignment;
}>();
const emit = defineEmits<{ assign: [body: Assignment]; clear: []; call: [name: string] }>();

const isMask = computed(() => props.line.property.startsWith('mask.'));
const DIRECTIONS = [
  { value: '+Y', text: '+Y' },
  { value: '-Y', text: '−Y' },
] as const;
const ENCODINGS = [
  { value: 'srgb', text: 'sRGB' },
  { value: 'linear', text: 'linear' },
] as const;

const meanings = computed(() => {
  // A mask's own name stands above, and may be long.
  const said = isMask.value ? 'mask' : props.line.title.toLowerCase();
  const other = props.line.property === 'roughness' ? 'gloss (1 − roughness)' : `1 − ${said}`;
  return [
    { value: false, text: said },
    { value: true, text: other },
  ];
});
const choices = computed(() => [
  { label: 'Files of this set', items: props.files.map((file) => ({ label: file.name, value: file.id })) },
  ...(props.openFiles.length
    ? [
        {
          label: 'Files of no set',
          items: props.openFiles.map((file) => ({ label: file.name, value: file.id })),
        },
      ]
    : []),
]);
const file = computed(() => {
  const wanted = props.waiting?.file;
  return [...props.files, ...props.openFiles].find((file) => file.id === wanted) ?? props.line.file;
});
/** The row as it is, or as it will be once what waits is saved. */
const row = computed(() => {
  const { row: saved } = props.line;
  const { waiting } = props;
  if (!waiting) return saved;
  return {
    channels: waiting.channels ?? saved?.channels ?? [],
    inverted: waiting.inverted ?? false,
    normal_y: waiting.normal_y ?? saved?.normal_y ?? null,
    encoding: waiting.encoding ?? saved?.encoding ?? 'linear',
  };
});
const componentNames = computed(() =>
  props.line.components === 3 ? ['red from', 'green from', 'blue from'] : ['from'],
);

/** What a mask is called, which masters ask for it by. */
const named = ref('');
watch(
  () => props.line.property,
  (property) => (named.value = property.replace('mask.', '')),
  { immediate: true },
);
function call(): void {
  const name = named.value.trim().replace(/\s+/g, ' ');
  if (name && name !== props.line.property.replace('mask.', '')) emit('call', name);
  else named.value = props.line.property.replace('mask.', '');
}

function body(changes: Partial<Assignment>): Assignment {
  return {
    file: file.value?.id ?? 0,
    channels: row.value?.channels ?? [],
    inverted: row.value?.inverted ?? false,
    normal_y: props.line.property === 'normal' ? (row.value?.normal_y ?? '+Y') : null,
    encoding: row.value?.encoding ?? null,
    ...changes,
  };
}
function change(changes: Partial<Assignment>): void {
  emit('assign', body(changes));
}
function chooseFile(id: number): void {
  change({ file: id, channels: null, encoding: null, normal_y: null });
}
/** The channels that a component may come from; a normal's blue may also follow from the other two. */
function choicesFor(component: number): { value: ChannelName | null; text: string }[] {
  const own = (file.value?.channels ?? []).map((channel) => ({ value: channel, text: channel as string }));
  const rebuilt = props.line.property === 'normal' && component === 2;
  return rebuilt ? [...own, { value: null, text: 'rebuilt' }] : own;
}
function chooseChannel(component: number, channel: ChannelName | null): void {
  const channels = [...(row.value?.channels ?? [])];
  if (channel) channels[component] = channel;
  else channels.length = component;
  change({ channels });
}
</script>

<template>
  <section class="editor" :aria-label="`How ${line.title} is read`">
    <h2>{{ line.title }}</h2>
    <p class="why">
      <template v-if="line.row">{{ line.row.why }}</template>
      <template v-else>Nothing provides it: {{ line.absent_note }}.</template>
    </p>
    <template v-if="mayWork">
      <label v-if="line.row && isMask" class="field">
        <span class="soft">name</span>
        <InputText
          v-model="named"
          maxlength="40"
          title="Masters ask for a mask by its name; variants that read this one go on reading it."
          @keydown.enter="($event.target as HTMLInputElement).blur()"
          @keydown.esc="named = line.property.replace('mask.', '')"
          @blur="call"
        />
      </label>
      <div class="field">
        <span class="soft">file</span>
        <Select
          :model-value="file?.id ?? null"
          :options="choices"
          option-label="label"
          option-value="value"
          option-group-label="label"
          option-group-children="items"
          placeholder="choose a file"
          aria-label="File"
          filter
          @update:model-value="chooseFile"
        />
      </div>
      <template v-if="row && file">
        <div v-for="(name, component) in componentNames" :key="name" class="field">
          <span class="soft">{{ name }}</span>
          <PickOne
            mono
            :label="name"
            :choices="choicesFor(component)"
            :model-value="row.channels[component] ?? null"
            @update:model-value="chooseChannel(component, $event)"
          />
        </div>
        <div v-if="line.property === 'normal'" class="field">
          <span class="soft">reads</span>
          <PickOne
            mono
            label="Normal direction"
            :choices="DIRECTIONS"
            :model-value="row.normal_y ?? null"
            @update:model-value="change({ normal_y: $event })"
          />
        </div>
        <div v-if="line.components === 1" class="field">
          <span class="soft">holds</span>
          <PickOne
            label="What the values mean"
            :choices="meanings"
            :model-value="row.inverted ?? false"
            @update:model-value="change({ inverted: $event ?? false })"
          />
        </div>
        <div v-if="line.property !== 'normal'" class="field">
          <span class="soft">stored</span>
          <PickOne
            label="Encoding"
            :choices="ENCODINGS"
            :model-value="row.encoding"
            @update:model-value="change({ encoding: $event })"
          />
        </div>
        <button class="plain link clear" @click="emit('clear')">Clear this row</button>
      </template>
    </template>
  </section>
</template>

<style scoped>
.editor {
  padding: 14px 16px 20px;
  display: grid;
  gap: 6px;
}
.why {
  color: var(--soft);
  margin-bottom: 6px;
}
.field {
  display: grid;
  grid-template-columns: 82px minmax(0, 1fr);
  align-items: center;
  min-height: 28px;
}
.clear {
  justify-self: start;
  color: var(--soft);
  margin-top: 6px;
}
</style>
