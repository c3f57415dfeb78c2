import { defineStore } from 'pinia';
import { ref } from 'vue';

import { api, take } from '@/api/client';

export const useSession = defineStore('session', () => {
  const user = ref<string | null>(null);
  const known = ref(false);

  async function load(): Promise<void> {
    user.value = (await take(api.GET('/api/session'))).user;
    known.value = true;
  }

  async function signIn(name: string, password: string): Promise<void> {
    user.value = (await take(api.POST('/api/session', { body: { name, password } }))).user;
  }

  async function signOut(): Promise<void> {
    await take(api.DELETE('/api/session'));
    user.value = null;
  }

  return { user, known, load, signIn, signOut };
});
