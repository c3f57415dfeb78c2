<script setup lang="ts">
import type { Finding } from '@/api/client';

import StateGlyph from './StateGlyph.vue';

defineProps<{ findings: Finding[]; lit: string | null }>();
const emit = defineEmits<{ choose: [property: string] }>();
const STATE = { error: 'wrong', warning: 'look', note: 'note' } as const;
</script>

<template>
  <ul class="findings">
    <li
      v-for="(finding, index) in findings"
      :key="index"
      :class="{ lit: finding.property && finding.property === lit }"
    >
      <StateGlyph :state="STATE[finding.severity]" />
      <div class="text">
        <div>
          <span class="message">{{ finding.message }}</span>
          <span class="soft subject">{{ finding.subject }}</span>
        </div>
        <div class="soft">{{ finding.way_out }}</div>
      </div>
      <button v-if="finding.property" class="plain link" @click="emit('choose', finding.property)">
        Show
      </button>
    </li>
    <li v-if="!findings.length">
      <StateGlyph state="holds" />
      <div class="text">
        Nothing stands in the way. <span class="soft">Sources, sizes and directions were looked at.</span>
      </div>
    </li>
  </ul>
</template>

<style scoped>
.findings {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: flex;
  gap: 10px;
  padding: 8px;
  border-bottom: 1px solid var(--rule);
}
.lit {
  background: var(--wash);
}
.text {
  flex: 1;
  overflow-wrap: anywhere;
}
.message {
  font-weight: 550;
}
.subject {
  margin-left: 7px;
}
</style>
