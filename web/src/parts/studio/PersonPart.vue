<script setup lang="ts">
// One person's account: sessions and tokens that stand open, a new password, and its end.
import { useQueryClient } from '@tanstack/vue-query';
import Button from 'primevue/button';
import { ref, toRef } from 'vue';

import { api, take, type Schemas } from '@/api/client';
import { usePerson } from '@/api/studio';
import { useAsk } from '@/lib/page/ask';
import { useSay } from '@/lib/page/say';

import LinksShown from '@/parts/widgets/LinksShown.vue';
import type { FreshLink } from '@/parts/widgets/offer';
import Trouble from '@/parts/widgets/Trouble.vue';
import { dayWords } from '@/lib/values/local';

type Person = Schemas['Person'];
const props = defineProps<{ id: number }>();
const emit = defineEmits<{ changed: [] }>();
const id = toRef(props, 'id');
const person = usePerson(id);
const cache = useQueryClient();
const say = useSay();
const ask = useAsk();
const links = ref<readonly FreshLink[]>([]);

function keep(asked: Promise<Person>, said: string): void {
  asked.then((now) => {
    cache.setQueryData(['person', id.value], now);
    emit('changed');
    say.done(said);
  }, say.wrong);
}
const path = () => ({ user_id: props.id });
function change(body: Schemas['PersonChange'], said: string): void {
  keep(take(api.PATCH('/api/studio/people/{user_id}', { params: { path: path() }, body })), said);
}
function disable(name: string): void {
  ask(
    `Disable the account of ${name}?`,
    'Their sessions and access tokens end at once. Their work and the record stay, and the account can be enabled again.',
    'Disable',
    () => change({ active: false }, `${name} is disabled.`),
  );
}
function offer(): void {
  take(api.POST('/api/studio/people/{user_id}/password-link', { params: { path: path() } })).then(
    ({ secret }) => {
      const what = `A link by which ${person.data.value?.name ?? 'they'} chooses a new password.`;
      links.value = [{ secret, what }];
    },
    say.wrong,
  );
}
function endSessions(key = ''): void {
  keep(
    take(api.DELETE('/api/studio/people/{user_id}/sessions', { params: { path: path(), query: { key } } })),
    key ? 'The session has ended.' : 'All sessions have ended.',
  );
}
function endToken(token: number): void {
  keep(
    take(
      api.DELETE('/api/studio/people/{user_id}/tokens/{token_id}', {
        params: { path: { ...path(), token_id: token } },
      }),
    ),
    'The token opens nothing any more.',
  );
}
function day(at: string | null): string {
  return at ? dayWords(at) : 'never';
}
</script>

<template>
  <Trouble v-if="person.isError.value" :error="person.error.value" @again="person.refetch()" />
  <div v-else-if="person.data.value" class="person">
    <div class="acts">
      <Button label="Link for a new password" severity="secondary" @click="offer" />
      <Button
        v-if="person.data.value.active"
        label="Disable the account"
        severity="secondary"
        @click="disable(person.data.value.name)"
      />
      <Button
        v-else
        label="Enable the account"
        severity="secondary"
        @click="change({ active: true }, `${person.data.value.name} is enabled.`)"
      />
      <label class="check">
        <input
          type="checkbox"
          :checked="person.data.value.studio"
          @change="
            change({ studio: !person.data.value.studio }, 'Changed.');
            ($event.target as HTMLInputElement).checked = person.data.value.studio;
          "
        />
        studio lead
      </label>
    </div>
    <LinksShown v-model="links" />
    <div v-for="session in person.data.value.open_sessions" :key="session.key" class="line">
      <span
        >Session <span class="mono soft">{{ session.key }}…</span></span
      >
      <span class="soft">ends {{ day(session.ends) }} unless it is used</span>
      <button class="plain link soft" @click="endSessions(session.key)">End</button>
    </div>
    <div v-for="token in person.data.value.open_tokens" :key="token.id" class="line">
      <span
        >Token <strong>{{ token.name }}</strong> <span class="mono soft">{{ token.begins }}…</span></span
      >
      <span class="soft"
        >{{ token.project ?? 'all projects' }}, {{ token.writes ? 'may write' : 'may only read' }}, used
        {{ day(token.used) }}</span
      >
      <button class="plain link soft" @click="endToken(token.id)">Revoke</button>
    </div>
    <p v-if="!person.data.value.open_sessions.length && !person.data.value.open_tokens.length" class="soft">
      Signed in nowhere, and no access tokens.
    </p>
    <button v-if="person.data.value.open_sessions.length > 1" class="plain link soft" @click="endSessions()">
      End all sessions
    </button>
  </div>
</template>

<style scoped>
.person {
  padding: 12px 0 16px 20px;
  border-bottom: 1px solid var(--rule);
  display: grid;
  gap: 6px;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 14px;
  align-items: center;
  padding-bottom: 6px;
}
.line {
  display: grid;
  grid-template-columns: 260px minmax(0, 1fr) 60px;
  gap: 14px;
  align-items: baseline;
}
</style>
