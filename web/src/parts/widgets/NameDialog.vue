<script setup lang="ts">
// A name is asked for over the page; it stays until the name was taken.
import Button from 'primevue/button';
import Dialog from 'primevue/dialog';
import InputText from 'primevue/inputtext';
import { ref } from 'vue';

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
  <Dialog visible modal :draggable="false" :header="title" @update:visible="emit('close')">
    <form class="form" @submit.prevent="submit">
      <InputText v-model="typed" aria-label="Name" autofocus maxlength="80" />
      <Button type="submit" :label="act" :loading="busy" :disabled="!typed.trim() || typed.trim() === name" />
    </form>
  </Dialog>
</template>

<style scoped>
.form {
  display: flex;
  gap: 10px;
  width: 360px;
}
.form .p-inputtext {
  flex: 1;
}
</style>
