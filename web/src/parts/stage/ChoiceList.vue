<script setup lang="ts" generic="T extends string | number">
// One choice from a list that opens, in groups where there are many.
import Select from 'primevue/select';
import { computed } from 'vue';

interface Choice {
  value: T;
  text: string;
}
const props = defineProps<{
  label: string;
  choices: readonly Choice[] | readonly { title: string; choices: readonly Choice[] }[];
}>();
const value = defineModel<T>({ required: true });
/** From so many choices on they can be searched. */
const MANY = 14;
const grouped = computed(() => props.choices.some((choice) => 'choices' in choice));
const count = computed(() =>
  props.choices.reduce((sum, entry) => sum + ('choices' in entry ? entry.choices.length : 1), 0),
);
</script>

<template>
  <Select
    v-model="value"
    :options="[...choices]"
    option-label="text"
    option-value="value"
    :option-group-label="grouped ? 'title' : undefined"
    :option-group-children="grouped ? 'choices' : undefined"
    :filter="count > MANY"
    :aria-label="label"
  />
</template>
