<script setup lang="ts">
// What a row reads and how: changed here, by hand, channel by channel.
import Select from 'primevue/select';
import { computed } from 'vue';

import type { Assignment, ChannelName, FileView, LineView } from '@/api/client';
import { channelsFor } from '@/lib/channels';

const props = defineProps<{ line: LineView; files: FileView[]; openFiles: FileView[]; mayWork: boolean }>();
const emit = defineEmits<{ assign: [body: Assignment]; clear: [] }>();

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
const file = computed(() => props.line.file);
const componentNames = computed(() =>
  props.line.components === 3 ? ['red from', 'green from', 'blue from'] : ['from'],
);

function body(changes: Partial<Assignment>): Assignment {
  const row = props.line.row;
  return {
    file: props.line.file?.id ?? 0,
    channels: row?.channels ?? [],
    inverted: row?.inverted ?? false,
    normal_y: props.line.property === 'normal' ? (row?.normal_y ?? '+Y') : null,
    encoding: row?.encoding ?? null,
    ...changes,
  };
}
function chooseFile(id: number): void {
  const picked = [...props.files, ...props.openFiles].find((entry) => entry.id === id);
  if (picked)
    emit(
      'assign',
      body({ file: id, channels: channelsFor(picked, props.line.components, null), encoding: null }),
    );
}
function chooseChannel(component: number, channel: ChannelName): void {
  const channels = [...(props.line.row?.channels ?? [])];
  channels[component] = channel;
  emit('assign', body({ channels }));
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
      <template v-if="line.row && file">
        <div v-for="(name, component) in componentNames" :key="name" class="field">
          <span class="soft">{{ name }}</span>
          <div class="chips" role="group" :aria-label="name">
            <button
              v-for="channel in file.channels"
              :key="channel"
              class="pick mono"
              :aria-pressed="line.row.channels[component] === channel"
              @click="chooseChannel(component, channel)"
            >
              {{ channel }}
            </button>
          </div>
        </div>
        <div v-if="line.property === 'normal'" class="field">
          <span class="soft">reads</span>
          <div class="chips" role="group" aria-label="Normal direction">
            <button
              v-for="way in ['+Y', '-Y'] as const"
              :key="way"
              class="pick mono"
              :aria-pressed="line.row.normal_y === way"
              @click="emit('assign', body({ normal_y: way }))"
            >
              {{ way === '-Y' ? '−Y' : way }}
            </button>
          </div>
        </div>
        <div v-if="line.components === 1" class="field">
          <span class="soft">holds</span>
          <div class="chips" role="group" aria-label="What the values mean">
            <button
              class="pick"
              :aria-pressed="!line.row.inverted"
              @click="emit('assign', body({ inverted: false }))"
            >
              {{ line.title.toLowerCase() }}
            </button>
            <button
              class="pick"
              :aria-pressed="line.row.inverted"
              @click="emit('assign', body({ inverted: true }))"
            >
              {{ line.property === 'roughness' ? 'gloss, 1 − it' : 'one minus it' }}
            </button>
          </div>
        </div>
        <div v-if="line.property !== 'normal'" class="field">
          <span class="soft">stored</span>
          <div class="chips" role="group" aria-label="Encoding">
            <button
              v-for="kind in ['srgb', 'linear'] as const"
              :key="kind"
              class="pick"
              :aria-pressed="line.row.encoding === kind"
              @click="emit('assign', body({ encoding: kind }))"
            >
              {{ kind === 'srgb' ? 'sRGB' : 'linear' }}
            </button>
          </div>
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
.chips {
  display: flex;
}
.pick {
  border: 1px solid color-mix(in srgb, var(--ink) 26%, transparent);
  margin-right: -1px;
  background: none;
  color: var(--soft);
  height: 26px;
  padding: 0 10px;
  cursor: pointer;
}
.pick:hover {
  color: var(--ink);
}
.pick[aria-pressed='true'] {
  background: var(--ink);
  border-color: var(--ink);
  color: var(--paper);
  position: relative;
}
.clear {
  justify-self: start;
  color: var(--soft);
  margin-top: 6px;
}
</style>
