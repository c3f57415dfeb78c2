<script setup lang="ts">
// The signed-in user's own page: access tokens, the depot's key, the password.
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import Select from 'primevue/select';
import { computed, ref } from 'vue';
import { useRouter } from 'vue-router';

import { useAccount } from '@/api/arriving';
import { api, take } from '@/api/client';
import { useProjects } from '@/api/queries';
import { useAsk } from '@/lib/page/ask';
import { useSay } from '@/lib/page/say';
import { useSession } from '@/stores/session';
import ShownOnce from '@/parts/widgets/ShownOnce.vue';
import TopBar from '@/parts/frame/TopBar.vue';
import Trouble from '@/parts/widgets/Trouble.vue';
import { dayWords } from '@/lib/values/local';

const router = useRouter();
const session = useSession();
const account = useAccount();
const ask = useAsk();
const say = useSay();
const name = ref('');
const secret = ref('');
const key = ref('');
const old = ref('');
const fresh = ref('');
const again = ref('');

const projects = useProjects();
const project = ref<string | null>(null);
const WAYS = [
  { label: 'may write', value: true },
  { label: 'may only read', value: false },
];
const writes = ref(true);
const TIMES = [
  { label: 'for 30 days', value: 30 },
  { label: 'for 90 days', value: 90 },
  { label: 'for a year', value: 365 },
  { label: 'for good', value: 0 },
];
const days = ref(90);
/** The one that was chosen, or the only one that there is to choose. */
const opened = computed(() => project.value ?? projects.data.value?.[0]?.slug ?? null);

function make(): void {
  if (!opened.value) return;
  const body = {
    name: name.value,
    project: opened.value,
    writes: writes.value,
    days: days.value || null,
  };
  take(api.POST('/api/account/tokens', { body })).then((made) => {
    secret.value = made.secret;
    name.value = '';
    void account.refetch();
  }, say.wrong);
}
function revoke(id: number, called: string): void {
  ask(`Revoke ${called}?`, 'Programs that use it are refused from then on.', 'Revoke', () => {
    take(api.DELETE('/api/account/tokens/{token_id}', { params: { path: { token_id: id } } })).then(
      () => account.refetch(),
      say.wrong,
    );
  });
}
function keepKey(): void {
  take(api.PUT('/api/account/depot-key', { body: { key: key.value } })).then(() => {
    key.value = '';
    say.done('The depot knows you.');
    void account.refetch();
  }, say.wrong);
}
function forgetKey(): void {
  take(api.DELETE('/api/account/depot-key')).then(() => account.refetch(), say.wrong);
}
function changePassword(): void {
  take(api.PUT('/api/account/password', { body: { old: old.value, new: fresh.value } })).then(() => {
    old.value = fresh.value = again.value = '';
    say.done('The password is changed; other sessions and all access tokens have ended.');
    void account.refetch();
  }, say.wrong);
}
function signOutEverywhere(): void {
  const count = account.data.value?.sessions ?? 1;
  const what =
    count > 1
      ? `All ${count} sessions end, this one too.`
      : 'This is your only session; it ends, as signing out does.';
  const end = () =>
    void take(api.DELETE('/api/account/sessions')).then(() => {
      session.user = null;
      return router.push({ name: 'sign-in' });
    }, say.wrong);
  ask(
    'Sign out everywhere?',
    `${what} Access tokens stay good.`,
    'Sign out everywhere',
    end,
    'Stay signed in',
  );
}
function day(at: string): string {
  return dayWords(at);
}
</script>

<template>
  <div class="frame">
    <TopBar>
      <template #where><span class="soft">Account</span></template>
    </TopBar>
    <Trouble v-if="account.isError.value" :error="account.error.value" @again="account.refetch()" />
    <main v-else-if="account.data.value" id="content" class="page" tabindex="-1">
      <h1>{{ account.data.value.name }}</h1>
      <section aria-label="Access tokens">
        <div class="head">
          <h2>Access tokens</h2>
          <span class="soft"
            >for programs that bring files in, build and fetch, such as
            <code class="mono">fairtexel watch</code></span
          >
        </div>
        <ShownOnce v-if="secret" :text="secret" @done="secret = ''">
          <strong>This is the token. It is shown once</strong>, since only its hash is kept. Put it into
          <code class="mono">FAIRTEXEL_TOKEN</code>, or into a file for
          <code class="mono">--token-file</code>.
        </ShownOnce>
        <div v-for="token in account.data.value.tokens" :key="token.id" class="token">
          <strong>{{ token.name }}</strong>
          <span class="mono soft">{{ token.begins }}…</span>
          <span
            >{{ token.project ?? 'all projects' }}, {{ token.writes ? 'may write' : 'may only read' }}</span
          >
          <span v-if="token.over" class="over">over since {{ day(token.expires ?? '') }}</span>
          <span v-else class="soft">{{ token.expires ? `until ${day(token.expires)}` : 'for good' }}</span>
          <span class="soft">{{ token.used ? `used ${day(token.used)}` : 'never used' }}</span>
          <button class="plain link soft" @click="revoke(token.id, token.name)">Revoke</button>
        </div>
        <p v-if="!account.data.value.tokens.length" class="soft none">
          None yet. Make one for each machine, so that each can be revoked alone.
        </p>
        <form class="row" @submit.prevent="make">
          <InputText
            v-model="name"
            placeholder="what it is for"
            aria-label="Name of the token"
            maxlength="80"
          />
          <Select
            :model-value="opened"
            :options="projects.data.value ?? []"
            option-label="title"
            option-value="slug"
            aria-label="Project that the token opens"
            @update:model-value="project = $event"
          />
          <Select
            v-model="writes"
            :options="WAYS"
            option-label="label"
            option-value="value"
            aria-label="What the token may do"
          />
          <Select
            v-model="days"
            :options="TIMES"
            option-label="label"
            option-value="value"
            aria-label="How long the token is good"
          />
          <Button type="submit" label="Make a token" :disabled="!name.trim() || !opened" />
        </form>
      </section>
      <section aria-label="Depot">
        <div class="head">
          <h2>Depot</h2>
          <span class="soft">{{ account.data.value.depot_key ? 'a key is kept' : 'no key yet' }}</span>
        </div>
        <form class="row" @submit.prevent="keepKey">
          <InputText
            v-model="key"
            type="password"
            placeholder="key"
            aria-label="Key to the depot"
            autocomplete="off"
          />
          <Button
            type="submit"
            :label="account.data.value.depot_key ? 'Change the key' : 'Keep the key'"
            severity="secondary"
            :disabled="!key.trim()"
          />
          <button
            v-if="account.data.value.depot_key"
            type="button"
            class="plain link soft"
            @click="forgetKey"
          >
            Forget it
          </button>
        </form>
      </section>
      <section aria-label="Sessions">
        <div class="head">
          <h2>Sessions</h2>
          <span class="soft">{{
            account.data.value.sessions === 1
              ? 'you are signed in here alone'
              : `you are signed in ${account.data.value.sessions} times: in other browsers, or where you did not sign out`
          }}</span>
        </div>
        <div class="row">
          <Button label="Sign out everywhere" severity="secondary" @click="signOutEverywhere" />
        </div>
      </section>
      <section aria-label="Password">
        <div class="head"><h2>Password</h2></div>
        <form class="row" @submit.prevent="changePassword">
          <InputText
            v-model="old"
            type="password"
            placeholder="old"
            aria-label="Old password"
            autocomplete="current-password"
          />
          <InputText
            v-model="fresh"
            type="password"
            placeholder="new"
            aria-label="New password"
            autocomplete="new-password"
          />
          <InputText
            v-model="again"
            type="password"
            placeholder="new again"
            aria-label="New password again"
            autocomplete="new-password"
          />
          <Button
            type="submit"
            label="Change it"
            severity="secondary"
            :disabled="!old || !fresh || fresh !== again"
          />
        </form>
      </section>
    </main>
  </div>
</template>

<style scoped>
.frame {
  height: 100%;
  display: flex;
  flex-direction: column;
}
.page {
  flex: 1;
  overflow: auto;
  padding: 28px 24px 48px;
  width: 100%;
  max-width: 860px;
  margin: 0 auto;
}
section {
  margin-top: 28px;
}
.token {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 90px 190px 130px 100px 60px;
  gap: 12px;
  align-items: baseline;
  padding: 8px 0;
  border-bottom: 1px solid var(--rule);
}
.over {
  color: var(--madder);
}
.row {
  display: flex;
  gap: 8px;
  align-items: center;
  padding-top: 12px;
}
.none {
  padding: 10px 0 0;
}
</style>
