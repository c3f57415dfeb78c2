<script setup lang="ts">
// How two pictures lie on the table together.
import { computed } from 'vue';

import type { Look, Together } from './painter';

const props = defineProps<{ first: string; second: string }>();
const look = defineModel<Look>('look', { required: true });
/** What lies on the table, in words. */
const names = computed(() => {
  const { first, second } = props;
  return { a: first, b: second, wipe: `${first} | ${second}`, difference: `${first} − ${second}` }[
    look.value.together
  ];
});
</script>

<template>
  <div class="strip mono" role="group" aria-label="Two pictures together">
    <button
      v-for="[key, word] in [
        ['a', 'A'],
        ['b', 'B'],
        ['wipe', 'wipe'],
        ['difference', 'difference'],
      ] as [Together, string][]"
      :key="key"
      class="tool"
      :class="{ on: look.together === key }"
      :aria-pressed="look.together === key"
      @click="look.together = key"
    >
      {{ word }}
    </button>
    <label v-if="look.together === 'difference'" class="factor"
      >× <input v-model.number="look.factor" type="range" min="1" max="64" aria-label="Difference times" />{{
        look.factor
      }}</label
    >
    <span class="space" />
    <span class="names">{{ names }}</span>
  </div>
</template>

<style scoped>
.names {
  padding: 0 12px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.factor {
  padding-left: 10px;
  display: flex;
  align-items: center;
  gap: 5px;
}
.factor input {
  width: 70px;
  accent-color: #f6f4ef;
}
</style>
