<script setup lang="ts">
// What is done to a whole set: given a target, built, proved, delivered.
import Button from 'primevue/button';
import Select from 'primevue/select';
import { computed } from 'vue';

import type { Finding, SetView } from '@/api/client';

const props = defineProps<{
  view: SetView;
  mayWork: boolean;
  blocked: Finding | undefined;
  busy: boolean;
  /** A target that was chosen and is not saved yet. */
  waitingTarget?: string;
}>();
/** The set may be made for every target of the project that is for all sets, or for one of its own. */
const several = computed(() => props.view.made_for.length > 1 || !!props.view.own_target);
const everyOne = computed(() => ({
  name: '',
  title: 'All of the project',
  summary: 'Every target that the project is made for.',
}));
const emit = defineEmits<{
  target: [name: string];
  build: [];
  prove: [];
  deliver: [];
}>();
</script>

<template>
  <div class="acts">
    <Select
      :model-value="waitingTarget ?? (several ? view.own_target : view.target.name)"
      :options="several ? [everyOne, ...view.targets] : view.targets"
      option-label="title"
      option-value="name"
      :placeholder="everyOne.title"
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
.target {
  max-width: 300px;
  white-space: normal;
}
</style>
