<script setup lang="ts" generic="T extends string | boolean">
// A few choices side by side, one of them pressed.
defineProps<{ label: string; choices: readonly { value: T | null; text: string }[]; mono?: boolean }>();
const chosen = defineModel<T | null>({ required: true });
</script>

<template>
  <div v-rove data-across class="picks" role="group" :aria-label="label">
    <button
      v-for="choice in choices"
      :key="String(choice.value)"
      type="button"
      data-rove
      class="pick"
      :class="{ mono }"
      :aria-pressed="chosen === choice.value"
      @click="chosen = choice.value"
    >
      {{ choice.text }}
    </button>
  </div>
</template>

<style scoped>
.picks {
  display: flex;
}
.pick {
  border: 1px solid color-mix(in srgb, var(--ink) 26%, transparent);
  margin-right: -1px;
  background: none;
  color: var(--soft);
  height: 26px;
  padding: 0 10px;
  cursor: pointer;
}
.pick:hover {
  color: var(--ink);
}
.pick[aria-pressed='true'] {
  background: var(--ink);
  border-color: var(--ink);
  color: var(--paper);
  position: relative;
}
</style>
