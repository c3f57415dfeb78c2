<script setup lang="ts">
// The histogram of the picture on the table.
import { useQuery } from '@tanstack/vue-query';

import { api, take } from '@/api/client';
import type { Pictured, View } from '@/lib/pictures/pictures';

import Histogram from './Histogram.vue';

const props = defineProps<{ subject: Pictured | null; only: View }>();
const histogram = useQuery({
  queryKey: ['histogram', () => props.subject],
  enabled: () => props.subject !== null,
  staleTime: Infinity,
  queryFn: () => {
    const subject = props.subject as Pictured;
    return subject.kind === 'files'
      ? take(api.GET('/api/files/{file_id}/histogram', { params: { path: { file_id: subject.id } } }))
      : take(api.GET('/api/outputs/{output_id}/histogram', { params: { path: { output_id: subject.id } } }));
  },
});
</script>

<template>
  <section class="block" aria-label="Histogram">
    <div class="head">
      <h2>Histogram</h2>
      <span class="soft">{{ subject?.name }}</span>
    </div>
    <Histogram :counts="histogram.data.value" :only="only" />
  </section>
</template>

<style scoped>
.block {
  padding: 12px 16px 14px;
}
</style>
