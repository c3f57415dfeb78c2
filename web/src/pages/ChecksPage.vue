<script setup lang="ts">
// Which checks speak, how loud, and by which limits: a part of the house rules with a page of its own.
import Button from 'primevue/button';
import { computed, ref, watch } from 'vue';
import { useRoute } from 'vue-router';

import { useChecks, type CheckView, type HouseRules } from '@/api/arriving';
import { useHouse } from '@/lib/house';
import Trouble from '@/parts/Trouble.vue';

type Say = 'on' | 'note' | 'off';
type Choices = NonNullable<HouseRules['checks']>;
const route = useRoute();
const slug = computed(() => String(route.params.slug));
const { rules, saving, keep, may } = useHouse(slug);
const checks = useChecks();
const draft = ref<Choices>({});
const SAYS: { key: Say; title: string }[] = [
  { key: 'on', title: 'on' },
  { key: 'note', title: 'note' },
  { key: 'off', title: 'off' },
];
const PRESETS = [
  { key: 'general', title: 'What is right most of the time' },
  { key: 'scanned', title: 'Scanned surfaces' },
  { key: 'painted', title: 'Painted surfaces' },
  { key: 'older', title: 'Older games' },
] as const;

/** What was chosen stays when somebody else's version comes; it is only taken over while nothing is chosen. */
watch(
  () => rules.data.value?.rules.checks ?? {},
  (now, before) => {
    if (JSON.stringify(draft.value) === JSON.stringify(before ?? {})) draft.value = plain(now);
  },
  { immediate: true },
);
const changed = computed(
  () => JSON.stringify(draft.value) !== JSON.stringify(rules.data.value?.rules.checks ?? {}),
);

function plain(choices: Choices): Choices {
  return JSON.parse(JSON.stringify(choices)) as Choices;
}
function sayOf(check: CheckView): Say {
  return draft.value[check.rule]?.say ?? check.presets['general'] ?? 'on';
}
function put(check: CheckView, key: Say): void {
  draft.value = { ...draft.value, [check.rule]: { limits: {}, ...draft.value[check.rule], say: key } };
}
function limitOf(check: CheckView, key: string, usual: number): number {
  return draft.value[check.rule]?.limits?.[key] ?? usual;
}
/** Why a limit that was typed cannot be; a comma counts as a point. */
const wrong = ref<Record<string, string>>({});
function putLimit(check: CheckView, limit: CheckView['limits'][number], typed: string): void {
  const name = `${check.rule}.${limit.key}`;
  const value = Number(typed.trim().replace(',', '.'));
  if (!typed.trim() || Number.isNaN(value) || value < limit.low || value > limit.high) {
    wrong.value = { ...wrong.value, [name]: `A number from ${limit.low} to ${limit.high} is needed.` };
    return;
  }
  wrong.value = Object.fromEntries(Object.entries(wrong.value).filter(([key]) => key !== name));
  const now = draft.value[check.rule];
  draft.value = {
    ...draft.value,
    [check.rule]: { say: now?.say ?? null, limits: { ...now?.limits, [limit.key]: value } },
  };
}
function take(preset: (typeof PRESETS)[number]['key']): void {
  const all = checks.data.value ?? [];
  draft.value = Object.fromEntries(
    all
      .filter((check) => check.presets[preset] !== check.presets['general'])
      .map((check) => [check.rule, { say: check.presets[preset] as Say, limits: {} }]),
  );
}
function save(): void {
  const checks = draft.value;
  void keep((now) => ({ ...now, checks }), 'Checks changed', 'The checks speak so from now on.');
}
</script>

<template>
  <Trouble v-if="rules.isError.value" :error="rules.error.value" @again="rules.refetch()" />
  <main v-else-if="rules.data.value && checks.data.value" class="page">
    <header class="top">
      <h1>Checks</h1>
      <p class="soft lead">
        What is looked at in every set. On: it stands on the board. Note: it stands on the set’s page. Off: it
        is not looked at. What was right in fewer than eight of ten real pictures is off until you turn it on.
      </p>
    </header>
    <p v-if="!may" class="soft">A lead may change them.</p>
    <div v-if="may" class="presets">
      <span class="soft">Begin from</span>
      <button
        v-for="preset in PRESETS"
        :key="preset.key"
        type="button"
        class="preset"
        @click="take(preset.key)"
      >
        {{ preset.title }}
      </button>
      <Button
        label="Keep these checks"
        :disabled="!changed || saving || Object.keys(wrong).length > 0"
        @click="save"
      />
    </div>
    <div class="table" role="table" aria-label="Checks">
      <div
        v-for="check in checks.data.value"
        :key="check.rule"
        class="row"
        role="row"
        :data-check="check.rule"
      >
        <div role="cell">
          <div class="title">{{ check.title }}</div>
          <div class="soft">{{ check.about }}</div>
        </div>
        <div role="cell" class="limits">
          <label v-for="limit in check.limits" :key="limit.key" class="limit">
            <span class="soft">{{ limit.title }}</span>
            <input
              class="mono"
              inputmode="decimal"
              :disabled="!may || sayOf(check) === 'off'"
              :value="limitOf(check, limit.key, limit.default)"
              :aria-invalid="Boolean(wrong[`${check.rule}.${limit.key}`])"
              @change="putLimit(check, limit, ($event.target as HTMLInputElement).value)"
            />
            <span class="soft">{{ limit.unit }}</span>
            <span v-if="wrong[`${check.rule}.${limit.key}`]" role="alert" class="wrong">{{
              wrong[`${check.rule}.${limit.key}`]
            }}</span>
          </label>
        </div>
        <div role="cell">
          <div class="says" role="radiogroup" :aria-label="check.title">
            <button
              v-for="entry in SAYS"
              :key="entry.key"
              type="button"
              role="radio"
              class="say"
              :class="{ here: sayOf(check) === entry.key }"
              :aria-checked="sayOf(check) === entry.key"
              :disabled="!may"
              @click="put(check, entry.key)"
            >
              {{ entry.title }}
            </button>
          </div>
        </div>
      </div>
    </div>
  </main>
</template>

<style scoped>
.page {
  flex: 1;
  min-width: 0;
  overflow: auto;
  padding: 22px 20px 40px;
  display: flex;
  flex-direction: column;
  gap: 16px;
}
.lead {
  max-width: 640px;
  margin-top: 6px;
}
.presets {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
}
.preset,
.say {
  min-height: 28px;
  padding: 2px 11px;
  background: none;
  color: var(--ink);
  border: 1px solid var(--rule);
  border-radius: 2px;
  cursor: pointer;
  font: inherit;
}
.preset:hover,
.say:hover:not(:disabled) {
  border-color: var(--ink);
}
.presets :deep(.p-button) {
  margin-left: auto;
}
.row {
  display: grid;
  grid-template-columns: minmax(0, 1.2fr) minmax(0, 1fr) 168px;
  gap: 0 18px;
  padding: 9px 8px;
  border-bottom: 1px solid var(--rule);
  align-items: start;
}
.table {
  border-top: 1px solid var(--ink);
}
.title {
  font-weight: 650;
}
.limits {
  display: grid;
  gap: 4px;
}
.limit {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 74px 72px;
  gap: 8px;
  align-items: center;
}
.limit input {
  width: 100%;
  min-height: 26px;
  padding: 2px 6px;
  text-align: right;
  background: var(--sheet);
  color: var(--ink);
  border: 1px solid var(--rule);
  border-radius: 2px;
}
.limit input:disabled {
  color: var(--faint);
  background: none;
}
.limit input[aria-invalid='true'] {
  border-color: var(--madder);
}
.wrong {
  grid-column: 1 / -1;
  color: var(--madder);
}
.says {
  display: flex;
}
.say {
  border-radius: 0;
  margin-left: -1px;
  flex: 1;
  color: var(--soft);
}
.say.here {
  color: var(--paper);
  background: var(--ink);
  border-color: var(--ink);
}
</style>
