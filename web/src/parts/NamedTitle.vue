<script setup lang="ts">
// A page's title that is renamed where it stands.
import InputText from 'primevue/inputtext';
import { nextTick, ref } from 'vue';

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
function end(): void {
  if (!renaming.value) return;
  renaming.value = false;
  if (wanted.value !== props.name) emit('rename', wanted.value);
}
</script>

<template>
  <span ref="place" class="named">
    <InputText
      v-if="renaming"
      v-model="wanted"
      :aria-label="label"
      @keydown.enter="end"
      @keydown.esc="renaming = false"
      @blur="end"
    />
    <h1 v-else :title="mayWork ? 'Click to rename' : ''" @click="start">{{ name }}</h1>
  </span>
</template>

<style scoped>
.named {
  min-width: 0;
}
h1 {
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
</style>
