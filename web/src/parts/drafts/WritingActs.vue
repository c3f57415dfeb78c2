<script setup lang="ts">
// What is done with a document of the studio while it is written: taken back, done again, discarded, published.
import Button from 'primevue/button';
import { onBeforeUnmount, onMounted } from 'vue';

const props = defineProps<{
  draft: { undo: () => void; redo: () => void };
  canUndo: boolean;
  canRedo: boolean;
  /** Why it cannot be published as it is; "" where it can. */
  hindered: string;
  /** Whether whoever writes may publish it for the studio; otherwise the draft waits. */
  mayPublish: boolean;
}>();
defineEmits<{ discard: []; publish: [] }>();

function key(event: KeyboardEvent): void {
  if (!(event.ctrlKey || event.metaKey) || event.key.toLowerCase() !== 'z') return;
  // A field has its own undo.
  if ((event.target as HTMLElement).matches('input, textarea')) return;
  event.preventDefault();
  if (event.shiftKey) props.draft.redo();
  else props.draft.undo();
}
onMounted(() => window.addEventListener('keydown', key));
onBeforeUnmount(() => window.removeEventListener('keydown', key));
</script>

<template>
  <Button label="Undo" severity="secondary" title="ctrl z" :disabled="!canUndo" @click="draft.undo()" />
  <Button label="Redo" severity="secondary" title="ctrl shift z" :disabled="!canRedo" @click="draft.redo()" />
  <Button label="Discard" severity="secondary" @click="$emit('discard')" />
  <Button
    v-if="mayPublish"
    label="Publish…"
    :disabled="!!hindered"
    :title="hindered"
    @click="$emit('publish')"
  />
  <span v-else class="soft" title="What is there for the whole studio is published by its leads."
    >waits for a lead of the studio</span
  >
</template>
