<script setup lang="ts">
// A page's title that is renamed where it stands: by its button, a click or a key.
import InputText from 'primevue/inputtext';
import { nextTick, ref } from 'vue';

import { useActions } from '@/lib/page/keys';

const props = defineProps<{ name: string; label: string; mayWork: boolean }>();
const emit = defineEmits<{ rename: [name: string] }>();
const renaming = ref(false);
const wanted = ref('');
const place = ref<HTMLElement | null>(null);

async function start(): Promise<void> {
  if (!props.mayWork) return;
  wanted.value = props.name;
  renaming.value = true;
  await nextTick();
  place.value?.querySelector('input')?.select();
}
async function end(take: boolean): Promise<void> {
  if (!renaming.value) return;
  renaming.value = false;
  if (take && wanted.value.trim() !== props.name) emit('rename', wanted.value.trim());
  await nextTick();
  place.value?.querySelector('button')?.focus();
}
useActions({ rename: () => void start() });
</script>

<template>
  <div ref="place" class="named">
    <InputText
      v-if="renaming"
      v-model="wanted"
      :aria-label="label"
      maxlength="80"
      @keydown.enter.prevent="end(true)"
      @keydown.esc.stop="end(false)"
      @blur="end(true)"
    />
    <template v-else>
      <h1 :title="name" @click="start">{{ name }}</h1>
      <button v-if="mayWork" class="plain soft rename" title="Rename (F2)" @click="start">Rename</button>
    </template>
  </div>
</template>

<style scoped>
.named {
  min-width: 0;
  display: flex;
  gap: 10px;
  align-items: baseline;
}
h1 {
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
.rename {
  opacity: 0;
}
.named:hover .rename,
.rename:focus-visible {
  opacity: 1;
}
@media (hover: none) {
  .rename {
    opacity: 1;
  }
}
</style>
