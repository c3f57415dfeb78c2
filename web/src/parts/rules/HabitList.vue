<script setup lang="ts">
// What the house has been taught about the endings of names.
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import Select from 'primevue/select';
import { ref } from 'vue';

import type { Habit } from '@/api/arriving';

const props = defineProps<{ habits: Habit[]; may: boolean }>();
const emit = defineEmits<{ change: [habits: Habit[]] }>();
const words = ref('');
const meaning = ref('base_colour');
const MEANINGS = [
  ...[
    'base_colour',
    'normal',
    'roughness',
    'gloss',
    'metallic',
    'occlusion',
    'height',
    'emissive',
    'specular',
    'opacity',
    'mask',
  ].map((key) => ({ value: key, label: key.replace('_', ' ') })),
  { value: 'normal+Y', label: 'normal, +Y' },
  { value: 'normal-Y', label: 'normal, −Y' },
  { value: '', label: 'nothing: leave it out' },
];

function said(habit: Habit): string {
  if (habit.surface) return 'are surfaces of their own: the ending belongs to the name';
  if (!habit.meanings.length) return 'are left out';
  const direction = habit.direction ? `, ${habit.direction.replace('-', '−')}` : '';
  return `hold ${habit.meanings.map((key) => key.replace('_', ' ')).join(', ')}${direction}`;
}
function add(): void {
  const key = meaning.value.replace(/[+-]Y$/, '');
  const direction = meaning.value.endsWith('+Y') ? '+Y' : meaning.value.endsWith('-Y') ? '-Y' : null;
  const habit: Habit = {
    words: words.value.trim().toLowerCase(),
    meanings: key ? [key] : [],
    direction,
    surface: false,
  };
  emit('change', [...props.habits.filter((entry) => entry.words !== habit.words), habit]);
  words.value = '';
}
</script>

<template>
  <div>
    <div v-for="habit in habits" :key="habit.words" class="habit">
      <span>
        Names that end in <span class="mono strong">{{ habit.words }}</span> {{ said(habit) }}
      </span>
      <button
        v-if="may"
        type="button"
        class="plain link soft"
        @click="
          emit(
            'change',
            habits.filter((entry) => entry !== habit),
          )
        "
      >
        Forget
      </button>
    </div>
    <p v-if="!habits.length" class="soft none">
      None yet. Answer an open question with “treat all such files so”, or write one here.
    </p>
    <form v-if="may" class="new" @submit.prevent="add">
      <span>Names that end in</span>
      <InputText v-model="words" class="mono" placeholder="alb" aria-label="Ending" />
      <span>hold</span>
      <Select
        v-model="meaning"
        :options="MEANINGS"
        option-label="label"
        option-value="value"
        placeholder="nothing: leave it out"
        aria-label="What they hold"
      />
      <Button type="submit" label="Add" severity="secondary" :disabled="!words.trim()" />
    </form>
  </div>
</template>

<style scoped>
.habit,
.new {
  display: flex;
  justify-content: space-between;
  align-items: center;
  gap: 10px;
  min-height: 34px;
  border-bottom: 1px solid var(--rule);
}
.new {
  justify-content: flex-start;
  min-height: 44px;
  border: 0;
}
.new .p-inputtext {
  width: 110px;
}
.new .p-select {
  width: 180px;
}
.strong {
  font-weight: 650;
}
.none {
  padding: 8px 0;
}
</style>
