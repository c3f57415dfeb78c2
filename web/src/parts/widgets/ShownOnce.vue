<script setup lang="ts">
// A secret, or a link with one, that was just made: it is shown once, since only its hash is kept.
import Button from 'primevue/button';

import { useSay } from '@/lib/page/say';

const props = defineProps<{ text: string }>();
defineEmits<{ done: [] }>();
const say = useSay();

async function copy(): Promise<void> {
  await navigator.clipboard.writeText(props.text).then(
    () => say.done('Copied.'),
    () => say.done('Mark it and copy it by hand: the browser does not allow it.'),
  );
}
</script>

<template>
  <div class="once" role="status">
    <p><slot /></p>
    <div class="row">
      <output class="mono">{{ text }}</output>
      <Button label="Copy" severity="secondary" @click="copy" />
      <button type="button" class="plain link soft" @click="$emit('done')">I have it</button>
    </div>
  </div>
</template>

<style scoped>
.once {
  padding: 12px 0;
  border-bottom: 1px solid var(--rule);
}
.row {
  display: flex;
  gap: 12px;
  align-items: center;
  margin-top: 8px;
}
output {
  padding: 6px 9px;
  background: var(--sheet);
  border: 1px solid var(--verdigris);
  user-select: all;
  overflow-wrap: anywhere;
}
</style>
