<script setup lang="ts">
// A link that works once: into a project, into the studio, or to a new password.
import Button from 'primevue/button';
import { computed, onMounted, ref } from 'vue';
import { useRouter } from 'vue-router';

import { ApiError, api, take, type Schemas } from '@/api/client';
import DoorFrame from '@/parts/frame/DoorFrame.vue';
import NewAccount from '@/parts/frame/NewAccount.vue';
import { useSession } from '@/stores/session';

const session = useSession();
const router = useRouter();
// What stands behind # is never sent by itself, and so stands in no server's log.
const secret = decodeURIComponent(location.hash.slice(1));
const here = `/join#${secret}`;
const offered = ref<Schemas['Offered'] | null>(null);
const refused = ref<ApiError | null>(null);
const busy = ref(false);
/** Whoever is signed in may come in as they are, unless the link is for somebody's password. */
const asMyself = ref(session.user !== null);

const title = computed(() => {
  switch (offered.value?.kind) {
    case 'project':
      return `Join ${offered.value.project}`;
    case 'password':
      return 'Choose a new password';
    default:
      return 'Join the studio';
  }
});
const what = computed(() => {
  const offer = offered.value;
  if (!offer) return '';
  if (offer.kind === 'password') return `${offer.by} made this link for ${offer.name}.`;
  const as = offer.kind === 'project' ? `as ${offer.role}` : offer.studio ? 'as a studio lead' : '';
  return `${offer.by} invites you ${as}.`.replace(' .', '.');
});

onMounted(async () => {
  try {
    offered.value = await take(api.POST('/api/invitations/look', { body: { secret } }));
  } catch (error) {
    refused.value =
      error instanceof ApiError ? error : new ApiError(0, 'The page', 'met a fault.', 'Reload it.');
  }
});
async function send(name: string, password: string): Promise<void> {
  const joined = await take(api.POST('/api/invitations/take', { body: { secret, name, password } }));
  session.enter(joined.session);
  await router.push(
    joined.project ? { name: 'board', params: { slug: joined.project } } : { name: 'projects' },
  );
}
async function come(): Promise<void> {
  busy.value = true;
  refused.value = null;
  try {
    await send('', '');
  } catch (error) {
    if (error instanceof ApiError) refused.value = error;
  } finally {
    busy.value = false;
  }
}
async function another(): Promise<void> {
  await session.signOut();
  asMyself.value = false;
}
</script>

<template>
  <DoorFrame :title="title">
    <p v-if="offered" class="soft">{{ what }}</p>
    <p v-if="refused" class="refused" role="alert">✕ {{ refused.sentence }} {{ refused.wayOut }}</p>
    <template v-if="offered && offered.kind !== 'password' && asMyself">
      <Button :label="`Come in as ${session.user}`" :loading="busy" @click="come" />
      <button class="plain link soft" @click="another">Come in as somebody else</button>
    </template>
    <NewAccount
      v-else-if="offered"
      :act="offered.kind === 'password' ? 'Keep the password and sign in' : 'Make an account and come in'"
      :owner="offered.name"
      :send="send"
    />
    <RouterLink v-if="session.user" class="link soft" to="/">Your projects</RouterLink>
    <RouterLink
      v-else
      class="link soft"
      :to="{ name: 'sign-in', query: offered && offered.kind !== 'password' ? { to: here } : {} }"
      >{{ offered ? 'I have an account: sign in first' : 'Sign in' }}</RouterLink
    >
  </DoorFrame>
</template>
