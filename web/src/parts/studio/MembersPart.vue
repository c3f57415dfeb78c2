<script setup lang="ts">
// Who belongs to a project, in what role; invitations, and their end.
import { useQueryClient } from '@tanstack/vue-query';
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import Select from 'primevue/select';
import { computed, ref, toRef } from 'vue';

import { api, take } from '@/api/client';
import { ROLES, useMembers, type ProjectPeople, type RoleName } from '@/api/studio';
import { useAsk } from '@/lib/page/ask';
import { useSay } from '@/lib/page/say';

import LinksShown from '@/parts/widgets/LinksShown.vue';
import type { FreshLink } from '@/parts/widgets/offer';
import Trouble from '@/parts/widgets/Trouble.vue';
import { dayWords } from '@/lib/values/local';

type Member = ProjectPeople['members'][number];
const props = defineProps<{ slug: string }>();
const slug = toRef(props, 'slug');
const members = useMembers(slug);
const cache = useQueryClient();
const say = useSay();
const ask = useAsk();
const role = ref<RoleName>('artist');
const note = ref('');
/** Links that were made and not yet handed over, the newest first. */
const made = ref<readonly FreshLink[]>([]);
const mayEdit = computed(() => members.data.value?.may_edit ?? false);
const about = computed(() => ROLES.find((entry) => entry.value === role.value)?.about);

function keep(asked: Promise<ProjectPeople>, said: string): void {
  asked.then(
    (now) => {
      cache.setQueryData(['members', slug.value], now);
      say.done(said);
    },
    (error: unknown) => {
      say.wrong(error);
      // What was chosen and refused is shown as it stands.
      void members.refetch();
    },
  );
}
function invite(): void {
  const path = { slug: slug.value };
  const body = { role: role.value, note: note.value };
  take(api.POST('/api/projects/{slug}/invitations', { params: { path }, body })).then((answer) => {
    const whom = answer.invitation.note ? ` for ${answer.invitation.note}` : '';
    const what = `A link${whom} that makes its taker ${body.role} here.`;
    made.value = [{ secret: answer.secret, what }, ...made.value];
    note.value = '';
    void members.refetch();
  }, say.wrong);
}
function withdraw(id: number): void {
  const path = { slug: slug.value, invitation_id: id };
  keep(
    take(api.DELETE('/api/projects/{slug}/invitations/{invitation_id}', { params: { path } })),
    'The link works no more.',
  );
}
function changeRole(member: Member, to: RoleName): void {
  const path = { slug: slug.value, user_id: member.id };
  keep(
    take(api.PUT('/api/projects/{slug}/people/{user_id}', { params: { path }, body: { role: to } })),
    `${member.name} is ${to} now.`,
  );
}
function remove(member: Member): void {
  const path = { slug: slug.value, user_id: member.id };
  ask(
    `Remove ${member.name} from the project?`,
    'They lose access at once; access tokens that they made for this project end. What they did stays on record.',
    'Remove',
    () =>
      keep(
        take(api.DELETE('/api/projects/{slug}/people/{user_id}', { params: { path } })),
        `${member.name} is no member any more.`,
      ),
  );
}
function day(at: string): string {
  return dayWords(at);
}
</script>

<template>
  <section aria-label="People">
    <div class="head">
      <h2>People</h2>
      <span v-if="!mayEdit" class="soft">a lead invites and removes</span>
    </div>
    <Trouble v-if="members.isError.value" :error="members.error.value" @again="members.refetch()" />
    <div v-for="member in members.data.value?.members" :key="member.id" class="member">
      <strong>{{ member.name }}</strong>
      <span class="soft">{{ member.me ? 'you' : member.active ? '' : 'account disabled' }}</span>
      <Select
        v-if="mayEdit"
        :model-value="member.role"
        :options="ROLES"
        option-label="text"
        option-value="value"
        :aria-label="`Role of ${member.name}`"
        @update:model-value="changeRole(member, $event)"
      />
      <span v-else>{{ member.role }}</span>
      <button
        v-if="mayEdit"
        class="plain link soft"
        :aria-label="`Remove ${member.name}`"
        @click="remove(member)"
      >
        Remove
      </button>
    </div>
    <template v-if="mayEdit">
      <div v-for="invitation in members.data.value?.invitations" :key="invitation.id" class="member">
        <span class="soft">{{ invitation.note || 'somebody' }}</span>
        <span class="soft">invited by {{ invitation.by }}, until {{ day(invitation.expires) }}</span>
        <span class="soft">{{ invitation.role }}</span>
        <button class="plain link soft" @click="withdraw(invitation.id)">Withdraw</button>
      </div>
      <LinksShown v-model="made" />
      <form class="invite" @submit.prevent="invite">
        <InputText
          v-model="note"
          placeholder="for whom"
          aria-label="For whom the invitation is"
          maxlength="80"
        />
        <Select v-model="role" :options="ROLES" option-label="text" option-value="value" aria-label="Role" />
        <Button type="submit" label="Make an invitation" />
        <span class="soft">{{ role }}: {{ about }}</span>
      </form>
    </template>
  </section>
</template>

<style scoped>
.member {
  display: grid;
  grid-template-columns: 160px minmax(0, 1fr) 130px 70px;
  gap: 14px;
  align-items: center;
  min-height: 40px;
  border-bottom: 1px solid var(--rule);
}
.member strong {
  overflow-wrap: anywhere;
}
.invite {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 12px;
  align-items: center;
  padding-top: 12px;
}
</style>
