<script setup lang="ts">
// How a document of the studio ends: it is deprecated, with a successor where there is one, offered again, or deleted.
import Button from 'primevue/button';
import { computed } from 'vue';

import ActList from '@/parts/widgets/ActList.vue';

const props = defineProps<{
  deprecated: boolean;
  /** What may take its place, by name and title. */
  others: { name: string; title: string }[];
}>();
defineEmits<{ deprecate: [successor: string | null, on: boolean]; remove: [] }>();
const successors = computed(() => [
  { value: '', text: 'with no successor' },
  ...props.others.map(({ name, title }) => ({ value: name, text: `${title} takes its place` })),
]);
</script>

<template>
  <ActList
    v-if="!deprecated"
    class="deprecate"
    words="Deprecate it…"
    :options="successors"
    @choose="$emit('deprecate', $event || null, true)"
  />
  <Button v-else label="Offer it again" severity="secondary" @click="$emit('deprecate', null, false)" />
  <Button label="Delete…" severity="secondary" @click="$emit('remove')" />
</template>

<style scoped>
.deprecate {
  width: 160px;
}
</style>
