<script setup lang="ts">
// A list that does something when one of it is chosen, and goes back to its words.
import Select from 'primevue/select';

defineProps<{
  words: string;
  options: { value: string; text: string }[];
  /** What it does, where its words alone do not say so. */
  label?: string;
  filter?: boolean;
}>();
defineEmits<{ choose: [value: string] }>();
</script>

<template>
  <Select
    :model-value="null"
    :options
    option-label="text"
    option-value="value"
    :placeholder="words"
    :aria-label="label ?? words.replace('…', '')"
    :filter
    @update:model-value="$event !== null && $emit('choose', $event)"
  />
</template>
