<script setup lang="ts">
// A file that is made when it is asked for: asked for, on its way, or there to be downloaded.
import type { Schemas } from '@/api/client';

defineProps<{ file: Schemas['VariantFileView']; mayMake: boolean; address: string }>();
defineEmits<{ make: [] }>();
</script>

<template>
  <a v-if="file.made" class="link" :href="address" download>Download {{ file.title }}</a>
  <span v-else-if="file.job" class="soft" role="status"
    >Making {{ file.title }} <span class="mono">{{ Math.round(file.job.progress * 100) }} %</span></span
  >
  <button
    v-else-if="mayMake"
    type="button"
    class="plain link"
    :title="file.problem || file.holds"
    @click="$emit('make')"
  >
    Make {{ file.title }}
  </button>
</template>
