<script setup lang="ts">
import Dialog from 'primevue/dialog';
import { ref } from 'vue';

import { KEYS, useKeys } from '@/lib/keys';

const shown = ref(false);
useKeys({ '?': () => (shown.value = !shown.value) });
</script>

<template>
  <Dialog v-model:visible="shown" modal header="Keys" dismissable-mask>
    <dl class="keys">
      <template v-for="entry in KEYS" :key="entry.keys">
        <dt class="mono">{{ entry.keys }}</dt>
        <dd>{{ entry.does }}</dd>
      </template>
    </dl>
  </Dialog>
</template>

<style scoped>
.keys {
  display: grid;
  grid-template-columns: 110px 260px;
  gap: 6px 16px;
  margin: 0;
}
dd {
  margin: 0;
}
</style>
