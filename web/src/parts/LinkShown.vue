<script setup lang="ts">
// A link that was just made. It is shown once: only the hash of its secret is kept.
import Button from 'primevue/button';
import { computed } from 'vue';

import { useSay } from '@/lib/say';

const props = defineProps<{ secret: string; what: string }>();
defineEmits<{ done: [] }>();
const say = useSay();
const link = computed(() => `${location.origin}/join#${props.secret}`);

async function copy(): Promise<void> {
  await navigator.clipboard.writeText(link.value).then(
    () => say.done('Copied.'),
    () => say.done('Mark it and copy it by hand: the browser does not allow it.'),
  );
}
</script>

<template>
  <div class="shown" role="status">
    <p>
      <strong>{{ what }}</strong> Give it to them yourself. It works once, for a week, and is shown only now.
    </p>
    <div class="row">
      <output class="mono">{{ link }}</output>
      <Button label="Copy" severity="secondary" @click="copy" />
      <button class="plain link soft" @click="$emit('done')">I have it</button>
    </div>
  </div>
</template>

<style scoped>
.shown {
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
