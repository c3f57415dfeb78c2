<script setup lang="ts">
// Where a project has several targets: which of them its pages show.
import Select from 'primevue/select';
import { computed, toRef } from 'vue';

import { useProjects } from '@/api/queries';
import { useProjectTargets } from '@/api/targets';
import { ALL, useLooking } from '@/lib/pictures/targetshown';

const props = defineProps<{ slug: string }>();
const held = useProjectTargets(toRef(props, 'slug'));
const shown = useLooking();
const projects = useProjects();
const choices = computed(() => {
  const targets = held.data.value?.targets ?? [];
  const one = targets.map(({ name, title, usual }) => ({ value: usual ? '' : name, text: title }));
  return targets.filter(({ for_all }) => for_all).length > 1
    ? [...one, { value: ALL, text: 'All targets' }]
    : one;
});
// Counted before the targets are here: what stands below must not move while somebody reaches for it.
const counted = computed(() => projects.data.value?.find(({ slug }) => slug === props.slug)?.targets ?? 0);
const several = computed(() => (held.data.value ? choices.value.length : counted.value) > 1);
// A selection of nothing has no text of its own.
const usual = computed(() => choices.value.find(({ value }) => value === '')?.text);
</script>

<template>
  <label v-if="several" class="looked">
    <span class="soft">Shown for</span>
    <Select
      v-model="shown"
      :options="choices"
      option-label="text"
      option-value="value"
      :placeholder="usual"
      aria-label="Shown for"
    />
  </label>
</template>

<style scoped>
.looked {
  display: grid;
  gap: 3px;
  padding: 0 12px 10px 17px;
}
</style>
