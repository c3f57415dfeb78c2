<script setup lang="ts">
// The texel under the pointer: whose it is, what is stored there, and what it means in the canonical surface; of two pictures that lie
// over each other also what they differ by.
import { useQuery } from '@tanstack/vue-query';
import { computed, onBeforeUnmount, ref, watch } from 'vue';

import { api, take, type Schemas } from '@/api/client';
import { written } from '@/lib/values/numbers';
import type { Together } from './painter';
import type { Pictured } from '@/lib/pictures/pictures';
import { fixed } from '@/lib/values/local';

type Texel = Schemas['Texel'];
const props = defineProps<{
  first: Pictured | null;
  second: Pictured | null;
  together: Together;
  /** Where it is in A, and on which side of the wipe. */
  texel: { x: number; y: number; ofB: boolean } | null;
  edit: number;
}>();
const PAUSE = 70;

/** The texel that is asked about: a moment after the pointer rests on it. */
const asked = ref<{ x: number; y: number } | null>(null);
let waiting = 0;
watch([() => props.texel, () => props.first, () => props.second], ([at]) => {
  window.clearTimeout(waiting);
  if (!at) return;
  waiting = window.setTimeout(() => (asked.value = { x: at.x, y: at.y }), PAUSE);
});
onBeforeUnmount(() => window.clearTimeout(waiting));

/** A picture behind a figure has no stored values of its own. */
const readable = (picture: Pictured | null) => (picture && !picture.address ? picture : null);
const b = computed(() => readable(props.second));
const both = computed(() => b.value !== null && ['wipe', 'difference'].includes(props.together));
/** Whose value is meant where only one is. */
const alone = computed(() => (props.together === 'b' && b.value ? b.value : readable(props.first)));
const over = computed<'A' | 'B'>(() => {
  if (props.together === 'wipe') return props.texel?.ofB ? 'B' : 'A';
  return props.together === 'b' && b.value ? 'B' : 'A';
});

function useTexel(picture: () => Pictured | null, share: () => Pictured | null) {
  const key = computed(() => {
    const of = picture();
    const at = asked.value;
    const whole = share();
    if (!of || !at || !whole) return null;
    // B is laid over A whole: the texel at the same place of it.
    const x = Math.min(of.width - 1, Math.floor(((at.x + 0.5) / whole.width) * of.width));
    const y = Math.min(of.height - 1, Math.floor(((at.y + 0.5) / whole.height) * of.height));
    return { kind: of.kind, id: of.id, stamp: of.stamp, x, y };
  });
  return useQuery({
    // What a texel means follows from the file's bytes and from the ledger.
    queryKey: ['texel', key, () => props.edit],
    enabled: () => key.value !== null,
    staleTime: Infinity,
    placeholderData: (before: unknown) => before as never,
    queryFn: (): Promise<Texel> => {
      const { kind, id: of, x, y } = key.value as { kind: string; id: number; x: number; y: number };
      return kind === 'files'
        ? take(api.GET('/api/files/{file_id}/texel', { params: { path: { file_id: of }, query: { x, y } } }))
        : take(
            api.GET('/api/outputs/{output_id}/texel', {
              params: { path: { output_id: of }, query: { x, y } },
            }),
          );
    },
  });
}
const ofA = useTexel(
  () => (both.value ? readable(props.first) : alone.value),
  () => props.first,
);
const ofB = useTexel(
  () => (both.value ? b.value : null),
  () => props.first,
);

const lines = computed(() => {
  const [a, other] = [ofA.data.value, ofB.data.value];
  if (!props.texel || !a) return [];
  if (!both.value) return [{ name: over.value, picture: alone.value?.name ?? '', texel: a }];
  const found = [{ name: 'A', picture: props.first?.name ?? '', texel: a }];
  if (other) found.push({ name: 'B', picture: b.value?.name ?? '', texel: other });
  return found;
});
/** A less B for each channel that both have, each as a share of its own full range. */
const difference = computed(() => {
  const [a, other] = lines.value;
  if (!both.value || !a || !other) return [];
  return Object.entries(a.texel.shares).flatMap(([name, share]) => {
    const theirs = other.texel.shares[name];
    return share == null || theirs == null ? [] : [{ name, by: share - theirs }];
  });
});

function stored(value: number | null): string {
  if (value === null) return 'no number';
  return Number.isInteger(value) ? String(value) : fixed(value, 4);
}
function signed(value: number): string {
  return `${value > 0 ? '+' : ''}${written(Number(value.toFixed(4)))}`;
}
</script>

<template>
  <section class="block" aria-label="Under the pointer">
    <div class="head">
      <h2>Under the pointer</h2>
      <span class="mono soft">{{ texel ? `${texel.x}, ${texel.y}` : '' }}</span>
    </div>
    <template v-if="lines.length">
      <div
        v-for="line in lines"
        :key="line.name"
        class="line"
        :class="{ under: both && together === 'wipe' && line.name === over }"
      >
        <div v-if="second" class="whose">
          <b>{{ line.name }}</b> <span class="mono">{{ line.picture }}</span>
          <span v-if="both && together === 'wipe' && line.name === over" class="soft">under the pointer</span>
        </div>
        <div class="values mono">
          <span v-for="(value, name) in line.texel.stored" :key="name"
            ><b>{{ name }}</b> {{ stored(value) }}</span
          >
        </div>
        <p class="soft means">{{ line.texel.means || 'No row of the ledger reads it.' }}</p>
      </div>
      <div v-if="difference.length" class="line">
        <div class="whose"><b>A − B</b> <span class="soft">as a share of the full range</span></div>
        <div class="values mono">
          <span v-for="part in difference" :key="part.name"
            ><b>{{ part.name }}</b> {{ signed(part.by) }}</span
          >
        </div>
      </div>
    </template>
    <p v-else class="soft means">Point at a texel to read what is stored there and what it means.</p>
  </section>
</template>

<style scoped>
.block {
  padding: 12px 16px 14px;
}
.line {
  padding-top: 6px;
}
.under {
  box-shadow: inset 3px 0 var(--madder);
  padding-left: 8px;
  margin-left: -8px;
}
.whose {
  display: flex;
  gap: 8px;
  align-items: baseline;
  overflow: hidden;
  white-space: nowrap;
}
.values {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 14px;
  padding-top: 4px;
  font-size: 12px;
}
.values b {
  color: var(--soft);
  font-weight: 500;
}
.means {
  padding-top: 4px;
}
</style>
