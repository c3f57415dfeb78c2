<script setup lang="ts">
// A name and a password for a new account, or a new password alone; what the server refuses stands beneath.
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import { computed, ref } from 'vue';

import { ApiError } from '@/api/client';

const props = defineProps<{
  act: string;
  /** Whose new password it is; without one a name is asked for. */
  owner?: string | null;
  send: (name: string, password: string) => Promise<void>;
}>();
const name = ref('');
const password = ref('');
const again = ref('');
const busy = ref(false);
const refused = ref('');
const differ = computed(() => again.value !== '' && again.value !== password.value);

async function submit(): Promise<void> {
  if (password.value !== again.value) return;
  busy.value = true;
  refused.value = '';
  try {
    await props.send(props.owner ?? name.value, password.value);
  } catch (error) {
    refused.value =
      error instanceof ApiError ? `${error.sentence} ${error.wayOut}` : 'Reload the page and try again.';
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <form @submit.prevent="submit">
    <input v-if="owner" type="text" :value="owner" autocomplete="username" hidden readonly />
    <label v-else>
      <span>Your name here</span>
      <InputText v-model="name" name="name" autocomplete="username" autofocus required maxlength="40" />
    </label>
    <label>
      <span>Password, 8 characters or more</span>
      <InputText
        v-model="password"
        name="password"
        type="password"
        autocomplete="new-password"
        required
        minlength="8"
      />
    </label>
    <label>
      <span>The same again</span>
      <InputText v-model="again" name="again" type="password" autocomplete="new-password" required />
    </label>
    <p v-if="differ" class="soft" role="status">The two passwords differ.</p>
    <p v-if="refused" class="refused" role="alert">✕ {{ refused }}</p>
    <Button type="submit" :label="act" :loading="busy" :disabled="differ" />
  </form>
</template>
