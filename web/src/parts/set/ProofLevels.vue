<script setup lang="ts">
// Every level of a texture in a row: how much each lost, the worst in words, and each to be looked at.
import { computed } from 'vue';

import type { ProofView } from '@/api/client';
import { levelsOf, worstOf } from './proofs';

const props = defineProps<{ figures: ProofView['figures']; name: string }>();
const emit = defineEmits<{ look: [level: number] }>();
const levels = computed(() => levelsOf(props.figures));
const worst = computed(() => worstOf(levels.value));
const most = computed(() => Math.max(1e-6, ...levels.value.map(({ mean }) => mean)));
</script>

<template>
  <div class="chain" role="group" :aria-label="`Levels of ${name}`">
    <span class="soft">levels</span>
    <span class="bars">
      <button
        v-for="level in levels"
        :key="level.level"
        class="plain bar"
        :class="{ worst: level === worst }"
        :title="`${level.words}. Look at where.`"
        :aria-label="`Difference of ${level.words}`"
        @click="emit('look', level.level)"
      >
        <span class="lost" :style="{ height: `${Math.max(1, (level.mean / most) * 16)}px` }" />
      </button>
    </span>
    <span v-if="worst" class="soft said">most is lost in {{ worst.words }}</span>
    <span v-else class="soft said">no level loses more than the base</span>
  </div>
</template>

<style scoped>
.chain {
  display: flex;
  align-items: end;
  gap: 8px;
  min-width: 0;
}
.bars {
  display: flex;
  align-items: end;
  height: 18px;
  border-bottom: 1px solid var(--rule);
}
.bar {
  display: flex;
  align-items: end;
  width: 13px;
  height: 18px;
  padding: 0 2px;
}
.lost {
  width: 100%;
  background: var(--soft);
}
.bar:hover .lost,
.bar:focus-visible .lost {
  background: var(--ink);
}
.worst .lost {
  background: var(--ochre);
}
.said {
  line-height: 1.2;
}
</style>
