<script setup lang="ts">
// House tolerances: how much a proof may lose before it is a finding.
import Button from 'primevue/button';
import { computed, ref, watch } from 'vue';
import { useRoute } from 'vue-router';

import type { Tolerances } from '@/api/client';
import { saveTolerances, useProjects, useRefresh, useTolerances } from '@/api/queries';
import { useOvertaken } from '@/lib/overtaken';
import { useSay } from '@/lib/say';
import NumberField from '@/parts/NumberField.vue';
import Trouble from '@/parts/Trouble.vue';

type Limit = Exclude<keyof Tolerances, 'format' | 'version'>;
const LINES: { key: Limit; what: string; unit: string; usual: number }[] = [
  { key: 'normal_mean', what: 'Normals turn on average by at most', unit: '°', usual: 2 },
  { key: 'normal_p95', what: 'Nineteen of twenty normals turn by at most', unit: '°', usual: 6 },
  { key: 'colour_psnr', what: 'Colours keep a PSNR of at least', unit: 'dB', usual: 34 },
  { key: 'colour_delta_mean', what: 'Colours move on average by at most', unit: 'ΔE2000', usual: 2 },
  { key: 'colour_delta_p95', what: 'Nineteen of twenty colours move by at most', unit: 'ΔE2000', usual: 5 },
  { key: 'data_mean', what: 'Data channels move on average by at most', unit: 'levels', usual: 2.5 },
  { key: 'data_worst', what: 'Data channels move at worst by at most', unit: 'levels', usual: 64 },
];
const route = useRoute();
const say = useSay();
const overtaken = useOvertaken();
const slug = computed(() => String(route.params.slug));
const tolerances = useTolerances(slug);
const projects = useProjects();
const refresh = useRefresh(slug);
const lead = computed(() => projects.data.value?.find((entry) => entry.slug === slug.value)?.role === 'lead');
const draft = ref<Tolerances | null>(null);
const kept = computed(() => tolerances.data.value?.tolerances);
/** What was typed stays when somebody else's version comes; it is only taken over while nothing is typed. */
watch(
  kept,
  (now, before) => {
    const untouched = !draft.value || JSON.stringify(draft.value) === JSON.stringify(before);
    if (now && untouched) draft.value = { ...now };
  },
  { immediate: true },
);
const changed = computed(() => JSON.stringify(draft.value) !== JSON.stringify(kept.value));

function save(): void {
  const wanted = draft.value;
  if (!wanted) return;
  overtaken(
    () => saveTolerances(slug.value, tolerances.data.value?.version ?? 0, wanted),
    () => tolerances.refetch(),
  )
    .then(() => tolerances.refetch())
    .then(() => {
      refresh();
      say.done('The tolerances hold from now on; findings were judged again.');
    })
    .catch(say.wrong);
}
</script>

<template>
  <Trouble v-if="tolerances.isError.value" :error="tolerances.error.value" @again="tolerances.refetch()" />
  <main v-else-if="draft" class="page">
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
    <div v-if="lead" class="acts">
      <Button label="Keep these limits" :disabled="!changed" @click="save" />
      <button v-if="changed && kept" class="plain link soft" @click="draft = { ...kept }">Discard</button>
    </div>
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
