<script setup lang="ts">
// Keep what is painted, or throw it away: beside the brush, and in its place while it is put away.
import Button from 'primevue/button';
import { computed } from 'vue';

import { listedWords } from '@/lib/values/format';
import type { usePainted } from '@/parts/models/painted';

const props = defineProps<{ work: ReturnType<typeof usePainted> }>();
const names = computed(() => props.work.changed.value.map(({ name }) => name));
</script>

<template>
  <div class="keep">
    <Button
      label="Keep what is painted"
      :disabled="!names.length"
      :loading="work.keeping.value"
      title="As a revision of the model: COLOR_0 of what is painted. All else in the file stays as it is."
      @click="work.save(true)"
    />
    <span v-if="names.length" class="soft" role="status">Not kept yet: {{ listedWords(names) }}.</span>
  </div>
</template>

<style scoped>
.keep {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 12px;
  align-items: center;
}
.soft {
  font-size: 12px;
}
</style>
