<script setup lang="ts">
defineProps<{ label: string; lit?: boolean }>();
</script>

<template>
  <span class="chip mono" :class="{ lit }">{{ label }}</span>
</template>

<style scoped>
.chip {
  display: inline-block;
  padding: 0 5px;
  min-width: 19px;
  line-height: 16px;
  text-align: center;
  border: 1px solid color-mix(in srgb, var(--ink) 30%, transparent);
  border-radius: 2px;
  color: var(--ink);
}
.lit {
  background: var(--ink);
  border-color: var(--ink);
  color: var(--paper);
}
</style>
