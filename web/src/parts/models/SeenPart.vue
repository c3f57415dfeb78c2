<script setup lang="ts">
// Why do I see nothing? How much each layer is of a part of a model, and why one is nowhere.
import { computed, toRef } from 'vue';

import { useSeen, type Painted } from '@/api/seen';
import { fixed } from '@/lib/values/local';

const props = defineProps<{
  variant: number;
  /** What of it has changed: it is asked again then. */
  edit: number;
  painted: Painted;
  /** How far the points of the mesh lie apart, as a share of its size: what is painted cannot be finer. */
  apart: number;
}>();
const seen = useSeen(
  toRef(() => props.variant),
  toRef(() => props.edit),
  toRef(() => props.painted),
);
/** Below a twentieth of the model a blend by paint looks like what was painted. */
const FINE = 0.1;
const coarse = computed(() => props.apart > FINE && (props.painted.high ?? []).some((value) => value > 0));
</script>

<template>
  <section
    v-if="seen.data.value && seen.data.value.length > 1"
    class="seen"
    aria-label="What is seen of its layers"
  >
    <p v-for="layer in seen.data.value" :key="layer.layer" :class="layer.reason ? 'look' : 'soft'">
      <span class="mono">{{ Math.round(layer.share * 100) }} %</span> {{ layer.label }}
      <template v-if="layer.reason"> — ◆ {{ layer.reason }} {{ layer.way_out }}</template>
    </p>
    <p v-if="coarse" class="look">
      ◆ Points of this part lie {{ fixed(apart, 2) }} apart, on a model of about two: what is painted between
      them is not seen. Raise its density while painting.
    </p>
  </section>
</template>

<style scoped>
.seen {
  padding: 6px 0;
  font-size: 12px;
}
.look {
  color: var(--ochre);
}
</style>
