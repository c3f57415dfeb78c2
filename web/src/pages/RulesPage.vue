<script setup lang="ts">
// House rules: how files are named, placed and sized, tried out while they are written.
import Button from 'primevue/button';
import { computed, ref } from 'vue';
import { useRoute } from 'vue-router';

import { ApiError, api, take } from '@/api/client';
import type { HouseRules } from '@/api/arriving';
import { useDraft } from '@/parts/drafts/draft';
import { useHouse } from '@/parts/rules/house';
import { useSay } from '@/lib/page/say';
import DraftActs from '@/parts/drafts/DraftActs.vue';
import HabitList from '@/parts/rules/HabitList.vue';
import NameTester from '@/parts/rules/NameTester.vue';
import RuleNames from '@/parts/rules/RuleNames.vue';
import RuleMasters from '@/parts/rules/RuleMasters.vue';
import RuleSizes from '@/parts/rules/RuleSizes.vue';
import RuleWords from '@/parts/rules/RuleWords.vue';
import Trouble from '@/parts/widgets/Trouble.vue';
import VersionList from '@/parts/drafts/VersionList.vue';

const route = useRoute();
const slug = computed(() => String(route.params.slug));
const { rules, saving, waiting, keep, may } = useHouse(slug);
const say = useSay();
const chooser = ref<HTMLInputElement | null>(null);
const kept = computed(() => rules.data.value?.rules);
const { draft, changed, restored, discard, settle } = useDraft<HouseRules>(
  `rules.${slug.value}`,
  kept,
  'Changes of the house rules',
);
const problem = computed(() => {
  const sizes = draft.value?.sizes;
  return sizes && sizes.smallest > sizes.largest ? 'The smallest edge is above the largest.' : '';
});

function put(change: Partial<HouseRules>): void {
  if (draft.value) draft.value = { ...draft.value, ...change };
}
async function save(): Promise<void> {
  const wanted = draft.value;
  if (!wanted || problem.value) return;
  if (await keep(() => ({ ...wanted, hold: true }), 'Changed', 'The rules apply from now on.'))
    settle(wanted);
}
/** An older version becomes the newest; nothing is lost. */
async function takeUp(number: number): Promise<void> {
  const path = { slug: slug.value, number };
  try {
    const older = await take(api.GET('/api/projects/{slug}/rules/{number}/document', { params: { path } }));
    await keep(() => older, `Version ${number} restored`, `Version ${number} applies again.`);
  } catch (error) {
    say.wrong(error);
  }
}
const compare = (number: number) =>
  take(
    api.GET('/api/projects/{slug}/rules/{number}/differences', {
      params: { path: { slug: slug.value, number } },
    }),
  );
/** What a part of the document is called. */
const PARTS: Record<string, string> = {
  template: 'Template',
  case: 'Letter case',
  longest: 'Longest name',
  extra: 'Characters beside letters and digits',
  any_script: 'Letters of any script',
  reserved: 'Reserved names',
  hold: 'Rules apply',
  habits: 'Habits',
};
function words(part: string): string {
  const [first = '', ...rest] = part.split('.');
  return [PARTS[first] ?? first.replaceAll('_', ' '), ...rest.map((word) => word.replaceAll('_', ' '))].join(
    ': ',
  );
}
async function bringIn(event: Event): Promise<void> {
  const file = (event.target as HTMLInputElement).files?.[0];
  (event.target as HTMLInputElement).value = '';
  if (!file) return;
  try {
    const body = JSON.parse(await file.text()) as HouseRules;
    await keep(() => body, `Imported from ${file.name}`, `The rules of ${file.name} apply from now on.`);
  } catch {
    say.wrong(new ApiError(0, file.name, 'is not a JSON document.', 'Export a version to start from.'));
  }
}
</script>

<template>
  <Trouble v-if="rules.isError.value" :error="rules.error.value" @again="rules.refetch()" />
  <main v-else-if="draft && rules.data.value" class="page">
    <div v-keep-scroll class="form">
      <header class="top">
        <h1>House rules</h1>
        <span class="soft">{{
          rules.data.value.version && draft.hold
            ? `version ${rules.data.value.version}`
            : 'none written yet: names are free'
        }}</span>
      </header>
      <p v-if="!may" class="soft">A lead may change them.</p>
      <fieldset :disabled="!may">
        <RuleNames :draft="draft" :may="may" @change="put" />
        <RuleWords :draft="draft" :may="may" @change="put" />
        <RuleSizes :draft="draft" :may="may" @change="put" />
        <RuleMasters :draft="draft" :may="may" @change="put" />
        <section>
          <h2 v-term="'habit'">Habits</h2>
          <HabitList :habits="draft.habits" :may="may" @change="put({ habits: $event })" />
        </section>
      </fieldset>
      <VersionList
        v-if="rules.data.value.versions.length"
        :versions="rules.data.value.versions"
        :newest="rules.data.value.version"
        :may-edit="may"
        :compare="compare"
        :words="words"
        :address="(number) => `/api/projects/${slug}/rules/${number}/document`"
        @take-up="takeUp"
      />
      <p v-else class="soft">Nothing has been written yet. Saving these rules makes version 1.</p>
    </div>
    <aside class="side">
      <DraftActs
        v-if="may"
        v-bind="{ changed, saving, waiting, restored, problem }"
        :first="!draft.hold"
        @save="save"
        @discard="discard"
      >
        <Button label="Import rules" severity="secondary" @click="chooser?.click()" />
        <input ref="chooser" type="file" accept=".json,application/json" hidden @change="bringIn" />
      </DraftActs>
      <NameTester :slug="slug" :rules="draft" />
      <RouterLink class="link" :to="{ name: 'renames', params: { slug } }"
        >What these rules would rename</RouterLink
      >
    </aside>
  </main>
</template>

<style scoped>
.page {
  flex: 1;
  min-width: 0;
  min-height: 0;
  display: flex;
}
.form {
  flex: 1;
  min-width: 0;
  overflow: auto;
  padding: 18px 24px 48px 20px;
}
.top {
  display: flex;
  gap: 14px;
  align-items: baseline;
}
fieldset {
  /* Otherwise it is as wide as its widest line wants to be. */
  min-width: 0;
  border: 0;
  padding: 0;
  margin: 0;
}
.form :deep(section) {
  margin-top: 22px;
}
.form :deep(section > h2) {
  padding-bottom: 7px;
  border-bottom: 1px solid var(--ink);
}
.form :deep(.line) {
  display: flex;
  align-items: center;
  flex-wrap: wrap;
  gap: 6px 10px;
  /* What does not fit goes on below, beside the label and not under it. */
  padding: 5px 0 5px 98px;
  min-height: 40px;
  border-bottom: 1px solid var(--rule);
}
.form :deep(.line > :first-child) {
  margin-left: -98px;
  width: 88px;
  flex: none;
}
.form :deep(.second) {
  margin-left: 8px;
}
.form :deep(.wide) {
  flex: 1;
  max-width: 400px;
}
.form :deep(.short) {
  width: 66px;
}
.form :deep(.small) {
  display: flex;
  align-items: center;
  gap: 6px;
  width: auto;
}
.form :deep(.line .p-select) {
  width: 168px;
}
.form :deep(.check) {
  display: inline-flex;
  align-items: center;
  gap: 6px;
  margin: 8px 0 0;
}
.form :deep(.line .check) {
  margin: 0 0 0 8px;
}
.form :deep(.letter) {
  width: 44px;
}
.form :deep(.hint) {
  padding: 6px 0 6px 98px;
}
.form :deep(.hint code) {
  font-family: var(--mono);
  font-size: 10.5px;
  margin-right: 8px;
}
.form :deep(.words) {
  display: grid;
  grid-template-columns: repeat(4, minmax(0, 1fr));
  gap: 8px 12px;
  padding-top: 10px;
}
.form :deep(.word) {
  display: grid;
  gap: 2px;
}
.form :deep(.word .p-inputtext),
.form :deep(.short) {
  min-width: 0;
}
.side {
  width: var(--side);
  flex: none;
  border-left: 1px solid var(--rule);
  padding: 20px 18px;
  overflow: auto;
  display: flex;
  flex-direction: column;
  gap: 18px;
}
</style>
