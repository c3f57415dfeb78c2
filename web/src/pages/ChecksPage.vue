<script setup lang="ts">
// Which checks speak, how loud, and by which limits: a part of the house rules with a page of its own.
import { computed } from 'vue';
import { useRoute } from 'vue-router';

import { useChecks, type CheckView, type HouseRules } from '@/api/arriving';
import { useDraft } from '@/parts/drafts/draft';
import { useHouse } from '@/parts/rules/house';
import DraftActs from '@/parts/drafts/DraftActs.vue';
import NumberField from '@/parts/widgets/NumberField.vue';
import Trouble from '@/parts/widgets/Trouble.vue';

type Say = 'on' | 'note' | 'off';
type Choices = NonNullable<HouseRules['checks']>;
const route = useRoute();
const slug = computed(() => String(route.params.slug));
const { rules, saving, waiting, keep, may } = useHouse(slug);
const checks = useChecks();
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

const kept = computed(() => (rules.data.value ? (rules.data.value.rules.checks ?? {}) : undefined));
const {
  draft: written,
  changed,
  restored,
  discard,
  settle,
} = useDraft<Choices>(`checks.${slug.value}`, kept, 'Changes of the checks');
const draft = computed({
  get: () => written.value ?? {},
  set: (to: Choices) => (written.value = to),
});

function sayOf(check: CheckView): Say {
  return draft.value[check.rule]?.say ?? check.presets['general'] ?? 'on';
}
function put(check: CheckView, key: Say): void {
  draft.value = { ...draft.value, [check.rule]: { limits: {}, ...draft.value[check.rule], say: key } };
}
function limitOf(check: CheckView, key: string, usual: number): number {
  return draft.value[check.rule]?.limits?.[key] ?? usual;
}
function putLimit(check: CheckView, limit: CheckView['limits'][number], value: number): void {
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
async function save(): Promise<void> {
  const checks = draft.value;
  const kept = await keep(
    (now) => ({ ...now, checks }),
    'Checks changed',
    'The checks are set so from now on.',
  );
  if (kept) settle(checks);
}
</script>

<template>
  <Trouble v-if="rules.isError.value" :error="rules.error.value" @again="rules.refetch()" />
  <main v-else-if="rules.data.value && checks.data.value" v-keep-scroll class="page">
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
      <DraftActs v-bind="{ changed, saving, waiting, restored }" @save="save" @discard="discard" />
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
          <div v-for="limit in check.limits" :key="limit.key" class="limit">
            <span class="soft">{{ limit.title }}</span>
            <NumberField
              :model-value="limitOf(check, limit.key, limit.default)"
              :unit="limit.unit"
              unit-beside
              :low="limit.low"
              :high="limit.high"
              :disabled="!may || sayOf(check) === 'off'"
              :label="`${check.title}: ${limit.title}`"
              @update:model-value="putLimit(check, limit, $event ?? limit.default)"
            />
            <span class="soft">{{ limit.unit }}</span>
          </div>
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
  --number-width: 74px;
  grid-template-columns: minmax(0, 1fr) 74px 72px;
  gap: 8px;
  align-items: center;
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
