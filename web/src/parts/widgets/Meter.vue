<script setup lang="ts">
// How far something is, as a hairline that fills with ink.
defineProps<{ share: number; label: string }>();
</script>

<template>
  <span
    class="meter"
    role="progressbar"
    aria-valuemin="0"
    aria-valuemax="100"
    :aria-label="label"
    :aria-valuenow="Math.round(share * 100)"
  >
    <span class="fill" :style="{ width: `${Math.max(1.5, share * 100)}%` }" />
  </span>
</template>

<style scoped>
.meter {
  display: block;
  flex: 1;
  height: 3px;
  background: var(--rule);
}
.fill {
  display: block;
  height: 100%;
  background: var(--ink);
  transition: width 0.2s;
}
</style>
