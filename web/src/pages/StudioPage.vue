<script setup lang="ts">
// The studio, for those who lead it: everybody's accounts, and the record of what belongs to no project.
import { useQueryClient } from '@tanstack/vue-query';
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import { computed, ref } from 'vue';

import { api, take } from '@/api/client';
import { usePeople, type PersonLine } from '@/api/studio';
import { useAddress } from '@/lib/page/address';
import { KINDS } from '@/parts/studio/record';
import { useSay } from '@/lib/page/say';
import LinksShown from '@/parts/widgets/LinksShown.vue';
import type { FreshLink } from '@/parts/widgets/offer';
import PersonPart from '@/parts/studio/PersonPart.vue';
import RecordList from '@/parts/studio/RecordList.vue';
import SpacePart from '@/parts/studio/SpacePart.vue';
import TopBar from '@/parts/frame/TopBar.vue';
import Trouble from '@/parts/widgets/Trouble.vue';
import { dayWords } from '@/lib/values/local';

const PARTS = [
  { key: 'people', text: 'People' },
  { key: 'space', text: 'Space' },
  { key: 'record', text: 'Record' },
] as const;
type Part = (typeof PARTS)[number]['key'];
const part = useAddress<Part>(
  'part',
  'people',
  PARTS.map((entry) => entry.key),
);
const open = useAddress('person', 0);
const people = usePeople();
const cache = useQueryClient();
const say = useSay();
const note = ref('');
const leading = ref(false);
const made = ref<readonly FreshLink[]>([]);
const deeds = KINDS.filter((entry) =>
  ['people and projects', 'variants and masters', 'targets'].includes(entry.text),
);
const sets = computed(() => people.data.value?.people ?? []);

function invite(): void {
  const body = { note: note.value, studio: leading.value };
  take(api.POST('/api/studio/invitations', { body })).then((answer) => {
    const whom = answer.invitation.note ? ` for ${answer.invitation.note}` : '';
    const what = leading.value ? 'makes its taker a studio lead' : 'gives its taker an account';
    made.value = [{ secret: answer.secret, what: `A link${whom} that ${what}.` }, ...made.value];
    note.value = '';
    leading.value = false;
    void people.refetch();
  }, say.wrong);
}
function withdraw(id: number): void {
  take(
    api.DELETE('/api/studio/invitations/{invitation_id}', { params: { path: { invitation_id: id } } }),
  ).then((now) => cache.setQueryData(['people'], now), say.wrong);
}
function seats(person: PersonLine): string {
  return person.projects.map((seat) => `${seat.title} (${seat.role})`).join(', ') || 'in no project';
}
function day(at: string | null): string {
  return at ? dayWords(at) : 'never';
}
</script>

<template>
  <div class="frame">
    <TopBar>
      <template #where><span class="soft">Studio</span></template>
    </TopBar>
    <Trouble v-if="people.isError.value" :error="people.error.value" @again="people.refetch()" />
    <main v-else id="content" v-keep-scroll class="page" tabindex="-1">
      <div class="column">
        <header class="top">
          <h1>Studio</h1>
          <nav class="parts" aria-label="Parts of the studio">
            <button
              v-for="entry in PARTS"
              :key="entry.key"
              class="plain part"
              :class="{ here: part === entry.key }"
              :aria-current="part === entry.key ? 'page' : undefined"
              @click="part = entry.key"
            >
              {{ entry.text }}
            </button>
          </nav>
        </header>
        <section v-if="part === 'people'" aria-label="People">
          <div class="columns soft head">
            <span>person</span><span>projects</span><span>signed in</span><span>open</span>
          </div>
          <template v-for="person in sets" :key="person.id">
            <button
              class="plain columns person"
              :class="{ off: !person.active }"
              :aria-expanded="open === person.id"
              @click="open = open === person.id ? 0 : person.id"
            >
              <span>
                <strong>{{ person.name }}</strong>
                <span class="soft">{{ person.me ? ' you' : '' }}</span>
                <span v-if="person.studio" class="soft"> studio lead</span>
                <span v-if="!person.active" class="disabled"> disabled</span>
              </span>
              <span class="soft">{{ seats(person) }}</span>
              <span class="soft">{{ day(person.last_seen) }}</span>
              <span class="soft"
                >{{ person.sessions }} {{ person.sessions === 1 ? 'session' : 'sessions' }},
                {{ person.tokens }} {{ person.tokens === 1 ? 'token' : 'tokens' }}</span
              >
            </button>
            <PersonPart v-if="open === person.id" :id="person.id" @changed="people.refetch()" />
          </template>
          <div
            v-for="invitation in people.data.value?.invitations"
            :key="invitation.id"
            class="columns person soft"
          >
            <span>{{ invitation.note || 'somebody' }}</span>
            <span>invited by {{ invitation.by }}{{ invitation.studio ? ' as studio lead' : '' }}</span>
            <span>until {{ day(invitation.expires) }}</span>
            <button class="plain link" @click="withdraw(invitation.id)">Withdraw</button>
          </div>
          <LinksShown v-model="made" />
          <form class="invite" @submit.prevent="invite">
            <InputText
              v-model="note"
              placeholder="for whom"
              aria-label="For whom the invitation is"
              maxlength="80"
            />
            <label class="check"><input v-model="leading" type="checkbox" /> as studio lead</label>
            <Button type="submit" label="Make an invitation" />
            <span class="soft">
              {{
                leading
                  ? 'A studio lead makes projects, and looks after everybody’s accounts.'
                  : 'An account, and no project yet. Invite people into a project on the project’s own page.'
              }}
            </span>
          </form>
        </section>
        <SpacePart v-else-if="part === 'space'" />
        <template v-else>
          <p class="soft intro">
            People, masters, and projects made and deleted. Each project keeps a record of its own.
          </p>
          <RecordList :slug="null" :kinds="deeds" />
        </template>
      </div>
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
}
.column {
  width: min(980px, 100% - 40px);
  margin: 32px auto 48px;
}
.top {
  display: flex;
  gap: 26px;
  align-items: baseline;
  margin-bottom: 18px;
}
.parts {
  display: flex;
  gap: 16px;
}
.part {
  color: var(--soft);
  padding-bottom: 2px;
}
.part:hover,
.here {
  color: var(--ink);
}
.here {
  font-weight: 650;
  box-shadow: 0 2px var(--madder);
}
.columns {
  display: grid;
  grid-template-columns: 200px minmax(0, 1fr) 110px 150px;
  gap: 16px;
  align-items: baseline;
  width: 100%;
  justify-content: normal;
}
.person {
  padding: 10px 0;
  border-bottom: 1px solid var(--rule);
}
button.person:hover {
  background: var(--wash);
}
.off strong {
  color: var(--soft);
}
.disabled {
  color: var(--madder);
}
.invite {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 14px;
  align-items: center;
  padding-top: 14px;
}
.intro {
  max-width: 560px;
}
</style>
