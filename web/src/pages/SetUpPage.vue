<script setup lang="ts">
// The first run: the studio's first lead makes an account, and then a project.
import InputText from 'primevue/inputtext';
import { ref } from 'vue';
import { useRouter } from 'vue-router';

import { api, take } from '@/api/client';
import DoorFrame from '@/parts/frame/DoorFrame.vue';
import NewAccount from '@/parts/frame/NewAccount.vue';
import { useSession } from '@/stores/session';

const session = useSession();
const router = useRouter();
/** The start command prints it as the end of the address. */
const code = ref(decodeURIComponent(location.hash.slice(1)));
const known = code.value !== '';

async function send(name: string, password: string): Promise<void> {
  session.enter(await take(api.POST('/api/setup', { body: { name, password, code: code.value.trim() } })));
  await router.push({ name: 'projects' });
}
</script>

<template>
  <DoorFrame title="A studio of your own">
    <p class="soft">
      Nobody has an account here yet. Yours is the first: it leads the studio, makes projects and invites
      people.
    </p>
    <label v-if="session.setup?.code && !known">
      <span>Code that the start command printed</span>
      <InputText v-model="code" name="code" autocomplete="off" />
    </label>
    <NewAccount act="Begin" :send="send" />
  </DoorFrame>
</template>
