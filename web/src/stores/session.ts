import { defineStore } from 'pinia';
import { ref } from 'vue';

import { api, door, take, type Schemas } from '@/api/client';

export const useSession = defineStore('session', () => {
  const user = ref<string | null>(null);
  /** Whether they lead the studio. */
  const studio = ref(false);
  const known = ref(false);
  /** How the studio stands while it waits for its first lead. */
  const setup = ref<Schemas['Setup'] | null>(null);
  /** The session of the user has ended while they were at work: their password is asked over the page. */
  const ended = ref(false);
  /** The server could not be asked who is signed in; why not. */
  const away = ref('');
  let waiting: { back: Promise<boolean>; tell: (again: boolean) => void } | null = null;

  door.ask = () => {
    if (!user.value) return Promise.resolve(false);
    ended.value = true;
    if (!waiting) {
      let tell: (again: boolean) => void = () => undefined;
      const back = new Promise<boolean>((settle) => (tell = settle));
      waiting = { back, tell };
    }
    return waiting.back;
  };
  function tell(again: boolean): void {
    ended.value = false;
    waiting?.tell(again);
    waiting = null;
  }

  function enter(session: Schemas['Session']): void {
    user.value = session.user;
    studio.value = session.studio ?? false;
    if (session.user) setup.value = null;
  }

  async function load(): Promise<void> {
    enter(await take(api.GET('/api/session')));
    if (!user.value) setup.value = await take(api.GET('/api/setup'));
    known.value = true;
  }

  async function signIn(name: string, password: string): Promise<void> {
    enter(await take(api.POST('/api/session', { body: { name, password } })));
    tell(true);
  }

  /** Leave the page to somebody else: what waits for the user to come back is let go. */
  function giveUp(): void {
    user.value = null;
    tell(false);
  }

  async function signOut(): Promise<void> {
    await take(api.DELETE('/api/session'));
    user.value = null;
  }

  return { user, studio, setup, known, ended, away, enter, load, signIn, signOut, giveUp };
});
