<script setup lang="ts">
// What a master may cost before it is found too dear.
import type { HouseRules } from '@/api/arriving';

import NumberField from '@/parts/widgets/NumberField.vue';

type Limits = HouseRules['masters'];
const props = defineProps<{ draft: HouseRules; may: boolean }>();
const emit = defineEmits<{ change: [change: Partial<HouseRules>] }>();
const LIMITS: { key: keyof Limits; words: string; high: number }[] = [
  { key: 'samplers', words: 'textures', high: 32 },
  { key: 'reads', words: 'texture reads', high: 64 },
  { key: 'arithmetic', words: 'steps of arithmetic', high: 1000 },
  { key: 'megabytes', words: 'MB of textures, at 2048 × 2048 texels each,', high: 200 },
  { key: 'versions', words: 'versions to compile', high: 32 },
];
function put(key: keyof Limits, to: number | null): void {
  emit('change', { masters: { ...props.draft.masters, [key]: to || null } });
}
</script>

<template>
  <section>
    <h2>Masters</h2>
    <p class="soft">
      What a master may take at each place of a surface. Beyond it the sheet says so, with the cheapest way
      back.
    </p>
    <div v-for="{ key, words, high } in LIMITS" :key="key" class="line">
      <NumberField
        :model-value="draft.masters[key] ?? null"
        empty="no limit"
        :low="1"
        :soft-high="high"
        whole
        :disabled="!may"
        :label="`The most ${words} of a master`"
        @update:model-value="put(key, $event)"
      />
      <span class="soft">{{ words }} at most</span>
    </div>
  </section>
</template>

<style scoped>
.line {
  display: flex;
  gap: 10px;
  align-items: center;
  min-height: 30px;
}
</style>
