<script setup lang="ts">
// A file that is made when it is asked for: asked for, on its way, or there to be downloaded.
import type { Schemas } from '@/api/client';

defineProps<{
  /** What kind of file it is, as people say it. */
  kind: string;
  /** What is in it, in words. */
  said: string;
  made: boolean;
  job: Schemas['JobView'] | null | undefined;
  mayMake: boolean;
  address: string;
}>();
defineEmits<{ make: [] }>();
</script>

<template>
  <a v-if="made" class="link" :href="address" download>Download {{ kind }}</a>
  <span v-else-if="job" class="soft" role="status"
    >Making {{ kind }} <span class="mono">{{ Math.round(job.progress * 100) }} %</span></span
  >
  <button v-else-if="mayMake" type="button" class="plain link" :title="said" @click="$emit('make')">
    Make {{ kind }}
  </button>
</template>
