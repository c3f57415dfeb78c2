<script setup lang="ts">
// What is done to a whole set: undone, given a target, built, proved, delivered.
import Button from 'primevue/button';
import Select from 'primevue/select';
import { computed } from 'vue';

import type { Finding, SetView } from '@/api/client';

const props = defineProps<{ view: SetView; mayWork: boolean; blocked: Finding | undefined; busy: boolean }>();
const emit = defineEmits<{
  step: [kind: 'undo' | 'redo'];
  target: [name: string];
  build: [];
  prove: [];
  deliver: [];
}>();
const undoTitle = computed(() => {
  if (props.view.undo) return `Undo: ${props.view.undo}`;
  return props.view.last ? `The last step is not yours to undo (${props.view.last}).` : 'Nothing to undo';
});
</script>

<template>
  <div class="acts">
    <template v-if="mayWork">
      <Button
        label="Undo"
        severity="secondary"
        text
        :disabled="!view.undo"
        :title="undoTitle"
        @click="emit('step', 'undo')"
      />
      <Button
        v-if="view.redo"
        label="Do again"
        severity="secondary"
        text
        :title="view.redo"
        @click="emit('step', 'redo')"
      />
    </template>
    <Select
      :model-value="view.target.name"
      :options="view.targets"
      option-label="title"
      option-value="name"
      :disabled="!mayWork"
      aria-label="Target"
      @update:model-value="(target: string) => emit('target', target)"
    >
      <template #option="{ option }">
        <div class="target">
          <div>{{ option.title }}</div>
          <div class="soft">{{ option.summary }}</div>
        </div>
      </template>
    </Select>
    <Button
      v-if="mayWork"
      label="Build"
      :severity="view.build?.current ? 'secondary' : undefined"
      :disabled="busy || !!blocked"
      :title="blocked ? `${blocked.message} ${blocked.way_out}` : ''"
      @click="emit('build')"
    />
    <Button
      v-if="mayWork"
      label="Prove"
      :severity="view.build?.current && !view.proved ? undefined : 'secondary'"
      :disabled="busy || !!blocked"
      title="Build what is not current, encode, and measure what was lost"
      @click="emit('prove')"
    />
    <Button
      v-if="view.proved"
      label="Deliver"
      :severity="view.variants.length ? undefined : 'secondary'"
      title="Choose what to deliver"
      @click="emit('deliver')"
    />
  </div>
</template>

<style scoped>
.acts {
  display: flex;
  gap: 6px;
  flex: none;
}
.acts .p-select {
  width: 168px;
}
.acts .p-button-text {
  border: 0;
  padding: 0 8px;
}
.target {
  max-width: 300px;
  white-space: normal;
}
</style>
