<script setup lang="ts">
import { computed } from 'vue';

const props = defineProps<{ state: 'holds' | 'look' | 'wrong' | 'none' | 'note'; label?: string }>();
const SHOWN = {
  holds: ['✓', 'holds'],
  look: ['◆', 'look at this'],
  wrong: ['✕', 'wrong'],
  none: ['–', 'not yet'],
  note: ['·', 'note'],
} as const;
const shown = computed(() => SHOWN[props.state]);
</script>

<template>
  <span class="glyph" :class="state" role="img" :aria-label="label ?? shown[1]">{{ shown[0] }}</span>
</template>

<style scoped>
.glyph {
  display: inline-block;
  width: 14px;
  text-align: center;
  font-weight: 700;
}
.holds {
  color: var(--verdigris);
}
.look {
  color: var(--ochre);
}
.wrong {
  color: var(--madder);
}
.none,
.note {
  color: var(--faint);
}
</style>
