<script setup lang="ts">
// What the keys do and what our words mean.
import Dialog from 'primevue/dialog';
import { onBeforeUnmount, ref, watch } from 'vue';

import { GLOSSARY } from '@/lib/page/glossary';
import { listed, useActions } from '@/lib/page/keys';

const shown = ref(false);
const words = Object.entries(GLOSSARY).sort(([a], [b]) => a.localeCompare(b));
useActions({ help: () => (shown.value = true) });

// The key that opens the list closes it.
function close(event: KeyboardEvent): void {
  if (event.key !== '?') return;
  event.preventDefault();
  event.stopPropagation();
  shown.value = false;
}
watch(shown, (now) => {
  window.removeEventListener('keydown', close, { capture: true });
  if (now) window.addEventListener('keydown', close, { capture: true });
});
onBeforeUnmount(() => window.removeEventListener('keydown', close, { capture: true }));
</script>

<template>
  <Dialog v-model:visible="shown" modal header="Keys and words" dismissable-mask class="help">
    <div class="parts">
      <section v-for="part in listed()" :key="part.where">
        <h2>{{ part.where }}</h2>
        <dl class="keys">
          <template v-for="line in part.lines" :key="line.keys + line.does">
            <dt>
              <kbd class="mono">{{ line.keys }}</kbd>
            </dt>
            <dd>{{ line.does }}</dd>
          </template>
        </dl>
      </section>
    </div>
    <h2 class="words">Words</h2>
    <dl class="glossary">
      <template v-for="[word, means] in words" :key="word">
        <dt>{{ word }}</dt>
        <dd>{{ means }}</dd>
      </template>
    </dl>
  </Dialog>
</template>

<style scoped>
.parts {
  columns: 2;
  column-gap: 36px;
  width: min(720px, 84vw);
}
section {
  break-inside: avoid;
  padding-bottom: 14px;
}
h2 {
  padding-bottom: 5px;
  border-bottom: 1px solid var(--rule);
  margin-bottom: 6px;
}
h2::first-letter {
  text-transform: uppercase;
}
.keys {
  display: grid;
  grid-template-columns: 70px minmax(0, 1fr);
  gap: 4px 12px;
  margin: 0;
}
.glossary {
  display: grid;
  grid-template-columns: 82px minmax(0, 1fr);
  gap: 6px 12px;
  margin: 0;
  width: min(720px, 84vw);
}
.glossary dt {
  font-weight: 600;
}
dd {
  margin: 0;
}
</style>
