<script setup lang="ts">
// A picture's histogram: every channel over the same 256 steps. Heights are square roots, so that small shares show.
import { computed } from 'vue';

const props = defineProps<{ counts: Record<string, number[]> | undefined; only: string }>();
const INKS: Record<string, string> = {
  R: 'var(--madder)',
  G: 'var(--verdigris)',
  B: '#5b7fb8',
  A: 'var(--faint)',
  Y: 'var(--ink)',
};
const HEIGHT = 64;

const shapes = computed(() => {
  const shown = Object.entries(props.counts ?? {}).filter(
    ([name]) => props.only === 'RGB' || props.only === name || name === 'Y',
  );
  const most = Math.max(1, ...shown.flatMap(([, counts]) => counts));
  return shown.map(([name, counts]) => ({
    name,
    ink: INKS[name] ?? 'var(--ink)',
    path: counts
      .map((count, step) => `${step ? 'L' : 'M'}${step} ${HEIGHT - Math.sqrt(count / most) * HEIGHT}`)
      .join(''),
  }));
});
</script>

<template>
  <svg class="histogram" viewBox="0 0 255 64" preserveAspectRatio="none" role="img" aria-label="Histogram">
    <path
      v-for="shape in shapes"
      :key="shape.name"
      :d="shape.path"
      fill="none"
      :stroke="shape.ink"
      vector-effect="non-scaling-stroke"
    />
  </svg>
</template>

<style scoped>
.histogram {
  display: block;
  width: 100%;
  height: 64px;
  border-bottom: 1px solid var(--rule);
}
</style>
