<script setup lang="ts">
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import { ref } from 'vue';
import { useRoute, useRouter } from 'vue-router';

import { ApiError } from '@/api/client';
import DoorFrame from '@/parts/frame/DoorFrame.vue';
import { useSession } from '@/stores/session';

const session = useSession();
const route = useRoute();
const router = useRouter();
const name = ref('');
const password = ref('');
const busy = ref(false);
const refused = ref('');

async function enter(): Promise<void> {
  busy.value = true;
  refused.value = '';
  try {
    await session.signIn(name.value, password.value);
    const to = typeof route.query.to === 'string' && /^\/(?!\/)/.test(route.query.to) ? route.query.to : '/';
    await router.push(to);
  } catch (error) {
    refused.value =
      error instanceof ApiError ? `${error.sentence} ${error.wayOut}` : 'Reload the page and try again.';
    password.value = '';
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <DoorFrame title="Sign in">
    <p class="soft">Texture sets, sorted, converted and packed as the engine wants them.</p>
    <form @submit.prevent="enter">
      <label>
        <span>Name</span>
        <InputText v-model="name" name="name" autocomplete="username" autofocus required />
      </label>
      <label>
        <span>Password</span>
        <InputText
          v-model="password"
          name="password"
          type="password"
          autocomplete="current-password"
          required
        />
      </label>
      <p v-if="refused" class="refused" role="alert">✕ {{ refused }}</p>
      <Button type="submit" label="Sign in" :loading="busy" />
    </form>
  </DoorFrame>
</template>
