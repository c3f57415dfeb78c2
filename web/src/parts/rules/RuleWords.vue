<script setup lang="ts">
// What the house calls each property, and how packed maps are spelled.
import InputText from 'primevue/inputtext';

import type { HouseRules } from '@/api/arriving';
import { MEANINGS } from '@/lib/values/meanings';

defineProps<{ draft: HouseRules; may: boolean }>();
const emit = defineEmits<{ change: [change: Partial<HouseRules>] }>();
const WORDS = [...MEANINGS.slice(0, -1), 'diffuse', 'mask'];
const LETTERS = ['occlusion', 'roughness', 'metallic', 'height', 'gloss', 'opacity'];
function put(change: Partial<HouseRules>): void {
  emit('change', change);
}
</script>

<template>
  <section>
    <h2>What properties are called</h2>
    <div class="words">
      <label v-for="key in WORDS" :key="key" class="word">
        <span class="soft">{{ key.replace('_', ' ') }}</span>
        <InputText
          class="mono"
          :model-value="draft.words[key] ?? key"
          @update:model-value="put({ words: { ...draft.words, [key]: $event ?? '' } })"
        />
      </label>
    </div>
    <div class="line letters">
      <span>Packed maps</span>
      <label v-for="key in LETTERS" :key="key" class="small">
        <InputText
          class="mono letter"
          maxlength="3"
          :aria-label="`Letter of ${key}`"
          :model-value="draft.letters[key] ?? ''"
          @update:model-value="put({ letters: { ...draft.letters, [key]: $event ?? '' } })"
        />
        <span class="soft">{{ key }}</span>
      </label>
    </div>
    <p class="soft hint">
      They spell a packed map by its channels; one without a letter makes the words be written out.
    </p>
    <label class="check">
      <input
        type="checkbox"
        :checked="draft.say_direction"
        @change="put({ say_direction: !draft.say_direction })"
      />
      normal maps say their direction, gl or dx
    </label>
  </section>
</template>
