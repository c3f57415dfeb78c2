<script setup lang="ts">
// House tolerances: how much a proof may lose before it is a finding.
import { computed } from 'vue';
import { useRoute } from 'vue-router';

import { api, take, type Tolerances } from '@/api/client';
import { saveTolerances, useProjects, useRefresh, useTolerances } from '@/api/queries';
import { useDraft } from '@/parts/drafts/draft';
import { useSaving } from '@/parts/drafts/saving';
import { useSay } from '@/lib/page/say';
import DraftActs from '@/parts/drafts/DraftActs.vue';
import NumberField from '@/parts/widgets/NumberField.vue';
import Trouble from '@/parts/widgets/Trouble.vue';
import VersionList from '@/parts/drafts/VersionList.vue';

type Limit = Exclude<keyof Tolerances, 'format' | 'version'>;
const LINES: { key: Limit; what: string; unit: string; usual: number }[] = [
  { key: 'normal_mean', what: 'Mean normal error at most', unit: '°', usual: 2 },
  { key: 'normal_p95', what: 'Normal error, 95th percentile, at most', unit: '°', usual: 6 },
  { key: 'colour_psnr', what: 'Colour PSNR at least', unit: 'dB', usual: 34 },
  { key: 'colour_delta_mean', what: 'Mean colour error at most', unit: 'ΔE2000', usual: 2 },
  { key: 'colour_delta_p95', what: 'Colour error, 95th percentile, at most', unit: 'ΔE2000', usual: 5 },
  { key: 'data_mean', what: 'Mean error of data channels at most', unit: 'of 255', usual: 2.5 },
  { key: 'data_worst', what: 'Largest error of data channels at most', unit: 'of 255', usual: 64 },
];
const route = useRoute();
const say = useSay();
const slug = computed(() => String(route.params.slug));
const tolerances = useTolerances(slug);
const projects = useProjects();
const refresh = useRefresh(slug);
const lead = computed(
  () => projects.data.value?.find((project) => project.slug === slug.value)?.role === 'lead',
);
const kept = computed(() => tolerances.data.value?.tolerances);
const { draft, changed, restored, discard, settle } = useDraft<Tolerances>(
  `tolerances.${slug.value}`,
  kept,
  'Changes of the tolerances',
);
const { saving, waiting, keep } = useSaving(() => tolerances.refetch());

async function save(wanted: Tolerances, what: string): Promise<void> {
  const kept = await keep(
    () => saveTolerances(slug.value, tolerances.data.value?.version ?? 0, wanted, what),
    'The tolerances apply from now on; findings were judged again.',
  );
  if (!kept) return;
  settle(wanted);
  void refresh();
}
function takeUp(number: number): void {
  const path = { slug: slug.value, number };
  take(api.GET('/api/projects/{slug}/tolerances/{number}', { params: { path } }))
    .then((older) => save(older, `Version ${number} restored`))
    .catch(say.wrong);
}
const compare = (number: number) =>
  take(
    api.GET('/api/projects/{slug}/tolerances/{number}/differences', {
      params: { path: { slug: slug.value, number } },
    }),
  );
/** What a part of the document is called. */
function words(part: string): string {
  return LINES.find((line) => line.key === part)?.what ?? part;
}
</script>

<template>
  <Trouble v-if="tolerances.isError.value" :error="tolerances.error.value" @again="tolerances.refetch()" />
  <main v-else-if="draft" v-keep-scroll class="page">
    <h1>House tolerances</h1>
    <p class="soft intro">
      A proof measures what an output loses to its block format. What goes beyond these limits is a finding of
      its set.
      {{ lead ? '' : 'A lead may change them.' }}
    </p>
    <div v-for="line in LINES" :key="line.key" class="line" :class="{ own: draft[line.key] !== line.usual }">
      <span>{{ line.what }}</span>
      <NumberField
        :model-value="draft[line.key]"
        :unit="line.unit"
        unit-beside
        :low="0"
        :soft-high="line.usual * 2"
        :disabled="!lead"
        :label="`${line.what} (${line.unit})`"
        @update:model-value="draft && (draft = { ...draft, [line.key]: $event ?? 0 })"
      />
      <span class="soft">{{ line.unit }}</span>
      <button
        v-if="lead && draft[line.key] !== line.usual"
        class="plain link soft"
        @click="draft && (draft = { ...draft, [line.key]: line.usual })"
      >
        usual: {{ line.usual }}
      </button>
      <span v-else />
    </div>
    <DraftActs
      v-if="lead"
      class="acts"
      v-bind="{ changed, saving, waiting, restored }"
      @save="save(draft, 'Changed')"
      @discard="discard"
    />
    <VersionList
      v-if="tolerances.data.value?.versions.length"
      :versions="tolerances.data.value.versions"
      :newest="tolerances.data.value.version"
      :may-edit="lead"
      :compare="compare"
      :words="words"
      :address="(number) => `/api/projects/${slug}/tolerances/${number}`"
      @take-up="takeUp"
    />
  </main>
</template>

<style scoped>
.page {
  flex: 1;
  padding: 18px 20px 40px;
  overflow: auto;
  max-width: 760px;
}
.intro {
  margin: 6px 0 16px;
  max-width: 560px;
}
.line {
  display: grid;
  grid-template-columns: 300px 84px 60px 1fr;
  align-items: center;
  gap: 12px;
  min-height: 36px;
  border-bottom: 1px solid var(--rule);
}
.line:first-of-type {
  border-top: 1px solid var(--ink);
}
.own > :first-child {
  font-weight: 650;
}
.acts {
  display: flex;
  gap: 16px;
  align-items: center;
  margin-top: 18px;
}
</style>
