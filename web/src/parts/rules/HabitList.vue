<script setup lang="ts">
// What the house has been taught about the endings of names.
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import Select from 'primevue/select';
import { ref } from 'vue';

import type { Habit } from '@/api/arriving';
import { habitWords, MEANINGS, meaningWords } from '@/lib/values/meanings';
import ChannelsAnswer from '@/parts/arrivals/ChannelsAnswer.vue';

const props = defineProps<{ habits: Habit[]; may: boolean }>();
const emit = defineEmits<{ change: [habits: Habit[]] }>();
const words = ref('');
const meaning = ref('base_colour');
const BY_CHANNEL = 'by channel';
const CHOICES = [
  ...MEANINGS.map((key) => ({ value: key as string, label: meaningWords(key) })),
  { value: 'normal+Y', label: 'normal, +Y' },
  { value: 'normal-Y', label: 'normal, −Y' },
  { value: BY_CHANNEL, label: 'by channel …' },
  { value: '', label: 'nothing: leave it out' },
];
const CHANNELS = ['R', 'G', 'B', 'A'].map((channel) => ({ channel, looks: '', guess: '' }));

/** A habit from what each channel holds: channels that hold the same hold it together, but for masks. */
function addLayout(held: Record<string, string>): void {
  const together: { meaning: string; channels: string }[] = [];
  for (const [channel, meaning] of Object.entries(held)) {
    const same = together.find((pair) => pair.meaning === meaning && meaning !== 'mask');
    if (same) same.channels += channel;
    else if (meaning) together.push({ meaning, channels: channel });
  }
  put(
    together.map((pair) => pair.meaning),
    null,
    together.map((pair) => pair.channels),
  );
}
function add(): void {
  const key = meaning.value.replace(/[+-]Y$/, '');
  const direction = meaning.value.endsWith('+Y') ? '+Y' : meaning.value.endsWith('-Y') ? '-Y' : null;
  put(key ? [key] : [], direction, []);
}
function put(meanings: string[], direction: Habit['direction'], channels: string[]): void {
  const habit: Habit = {
    words: words.value.trim().toLowerCase(),
    meanings,
    channels,
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
        Names that end in <span class="mono strong">{{ habit.words }}</span> {{ habitWords(habit) }}
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
        :options="CHOICES"
        option-label="label"
        option-value="value"
        placeholder="nothing: leave it out"
        aria-label="What they hold"
      />
      <Button
        v-if="meaning !== BY_CHANNEL"
        type="submit"
        label="Add"
        severity="secondary"
        :disabled="!words.trim()"
      />
    </form>
    <ChannelsAnswer
      v-if="may && meaning === BY_CHANNEL"
      :channels="CHANNELS"
      :file="null"
      act="Add"
      :busy="!words.trim()"
      @answer="addLayout"
    />
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
