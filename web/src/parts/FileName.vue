<script setup lang="ts">
import { computed } from 'vue';

import { splitName } from '@/lib/format';

const props = defineProps<{ name: string }>();
const parts = computed(() => splitName(props.name));
</script>

<template>
  <span class="name mono" :title="name"
    ><span v-if="parts[0]" class="start">{{ parts[0] }}</span
    ><span class="tail">{{ parts[1] }}</span></span
  >
</template>

<style scoped>
.name {
  display: inline-flex;
  max-width: 100%;
  min-width: 0;
  font-size: 11px;
  vertical-align: bottom;
}
.start {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: pre;
}
.tail {
  flex: none;
  white-space: pre;
}
</style>
