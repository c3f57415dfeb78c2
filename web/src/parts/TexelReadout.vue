<script setup lang="ts">
// The texel under the pointer: what is stored there, and what it means in the canonical surface.
import { useQuery } from '@tanstack/vue-query';
import { onBeforeUnmount, ref, watch } from 'vue';

import { api, take } from '@/api/client';
import type { Pictured } from '@/lib/pictures';

const props = defineProps<{
  subject: Pictured | null;
  texel: { x: number; y: number } | null;
  edit: number;
}>();
const PAUSE = 70;

/** The texel that is asked about: a moment after the pointer rests on it. */
const asked = ref<{ kind: string; id: number; stamp: string; x: number; y: number } | null>(null);
let waiting = 0;
watch([() => props.texel, () => props.subject], ([at, subject]) => {
  window.clearTimeout(waiting);
  if (!at || !subject) return;
  waiting = window.setTimeout(
    () => (asked.value = { kind: subject.kind, id: subject.id, stamp: subject.stamp, ...at }),
    PAUSE,
  );
});
onBeforeUnmount(() => window.clearTimeout(waiting));
const readout = useQuery({
  // What a texel means follows from the file's bytes and from the ledger.
  queryKey: ['texel', asked, () => props.edit],
  enabled: () => asked.value !== null,
  staleTime: Infinity,
  placeholderData: (before: unknown) => before as never,
  queryFn: () => {
    const { kind, id: of, x, y } = asked.value as { kind: string; id: number; x: number; y: number };
    return kind === 'files'
      ? take(api.GET('/api/files/{file_id}/texel', { params: { path: { file_id: of }, query: { x, y } } }))
      : take(
          api.GET('/api/outputs/{output_id}/texel', { params: { path: { output_id: of }, query: { x, y } } }),
        );
  },
});
function stored(value: number | null): string {
  if (value === null) return 'no number';
  return Number.isInteger(value) ? String(value) : value.toFixed(4);
}
</script>

<template>
  <section class="block" aria-label="Under the pointer">
    <div class="head">
      <h2>Under the pointer</h2>
      <span class="mono soft">{{ texel ? `${texel.x}, ${texel.y}` : '' }}</span>
    </div>
    <template v-if="readout.data.value && texel">
      <div class="values mono">
        <span v-for="(value, name) in readout.data.value.stored" :key="name"
          ><b>{{ name }}</b> {{ stored(value) }}</span
        >
      </div>
      <p class="soft means">{{ readout.data.value.means || 'no row of the ledger reads it' }}</p>
    </template>
    <p v-else class="soft means">Point at a texel to read what is stored there and what it means.</p>
  </section>
</template>

<style scoped>
.block {
  padding: 12px 16px 14px;
}
.values {
  display: flex;
  gap: 14px;
  padding-top: 8px;
  font-size: 12px;
}
.values b {
  color: var(--soft);
  font-weight: 500;
}
.means {
  padding-top: 6px;
  min-height: 42px;
}
</style>
