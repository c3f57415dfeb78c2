<script setup lang="ts">
// A name is asked for over the page; it stays until the name was taken.
import InputText from 'primevue/inputtext';
import { ref } from 'vue';

import FormDialog from './FormDialog.vue';

const props = defineProps<{
  title: string;
  name: string;
  act: string;
  send: (name: string) => Promise<boolean>;
}>();
const emit = defineEmits<{ close: [] }>();
const typed = ref(props.name);
const busy = ref(false);

async function submit(): Promise<void> {
  busy.value = true;
  if (await props.send(typed.value.trim())) emit('close');
  busy.value = false;
}
</script>

<template>
  <FormDialog
    :title="title"
    :act="act"
    :busy="busy"
    :disabled="!typed.trim() || typed.trim() === name"
    @close="emit('close')"
    @submit="submit"
  >
    <InputText v-model="typed" aria-label="Name" maxlength="80" />
  </FormDialog>
</template>
