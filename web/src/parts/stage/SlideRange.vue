<script setup lang="ts">
// A range that is dragged, with its word before it and its value behind.
defineProps<{
  /** What it is called beside the range; `label` says the same whole, for who does not see. */
  word: string;
  label: string;
  low: number;
  high: number;
  step?: number;
  said?: string;
  disabled?: boolean;
}>();
const value = defineModel<number>({ required: true });
</script>

<template>
  <label class="slide">
    <span class="soft">{{ word }}</span>
    <input
      v-model.number="value"
      type="range"
      :min="low"
      :max="high"
      :step="step ?? 1"
      :disabled="disabled"
      :aria-label="label"
    />
    <span v-if="said" class="mono">{{ said }}</span>
  </label>
</template>

<style scoped>
.slide {
  display: flex;
  align-items: center;
  gap: 8px;
}
input {
  width: 90px;
  accent-color: var(--ink);
}
@container (width < 860px) {
  input {
    width: 56px;
  }
}
</style>
