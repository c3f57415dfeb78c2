<script setup lang="ts">
// The session has ended while somebody was at work: their password is asked over the page, which goes on behind it.
import Button from 'primevue/button';
import Dialog from 'primevue/dialog';
import InputText from 'primevue/inputtext';
import { computed, ref, watch } from 'vue';
import { useRouter } from 'vue-router';

import { ApiError } from '@/api/client';
import { useSession } from '@/stores/session';

const session = useSession();
const router = useRouter();
const password = ref('');
const busy = ref(false);
const refused = ref('');
const shown = computed(() => session.ended && session.user !== null);
watch(shown, () => (password.value = refused.value = ''));

async function enter(): Promise<void> {
  busy.value = true;
  refused.value = '';
  try {
    await session.signIn(session.user ?? '', password.value);
  } catch (error) {
    refused.value = error instanceof ApiError ? `${error.sentence} ${error.wayOut}` : 'Try again.';
    password.value = '';
  } finally {
    busy.value = false;
  }
}
function another(): void {
  session.giveUp();
  void router.push({ name: 'sign-in' });
}
</script>

<template>
  <Dialog :visible="shown" modal :closable="false" :close-on-escape="false" header="Sign in again">
    <form class="form" @submit.prevent="enter">
      <p>Your session has ended. The page stays as it is, and nothing that you typed is lost.</p>
      <input type="text" :value="session.user" autocomplete="username" hidden readonly />
      <label>
        <span>Password of {{ session.user }}</span>
        <InputText v-model="password" type="password" autocomplete="current-password" autofocus required />
      </label>
      <p v-if="refused" class="refused" role="alert">✕ {{ refused }}</p>
      <div class="acts">
        <Button type="submit" label="Sign in and go on" :loading="busy" />
        <button type="button" class="plain link soft" @click="another">Sign in as somebody else</button>
      </div>
    </form>
  </Dialog>
</template>

<style scoped>
.form {
  display: grid;
  gap: 14px;
  width: 340px;
}
label {
  display: grid;
  gap: 4px;
  font-weight: 600;
}
.refused {
  color: var(--madder);
}
.acts {
  display: flex;
  gap: 16px;
  align-items: center;
}
</style>
