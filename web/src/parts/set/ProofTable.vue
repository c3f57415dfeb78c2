<script setup lang="ts">
// The outputs as the engine will store them: before, after, what was lost, and what it costs.
import Select from 'primevue/select';
import { computed } from 'vue';

import { FORMATS, type TextureFormat } from '@/api/formats.generated';
import type { OutputView, PlannedView, SetView, Storage } from '@/api/client';
import { bytesWords, sizeWords } from '@/lib/values/format';
import { ofDifference, ofOutput, pictureUrl } from '@/lib/pictures/pictures';
import { lostOf } from './proofs';

import FileName from '@/parts/widgets/FileName.vue';
import ProofLevels from './ProofLevels.vue';
import StateGlyph from '@/parts/widgets/StateGlyph.vue';
import { lookedAt } from '@/lib/pictures/targetshown';

const props = defineProps<{ view: SetView; lit: string[]; mayWork: boolean }>();
const emit = defineEmits<{
  look: [output: OutputView];
  blocks: [output: OutputView];
  difference: [planned: PlannedView, level: number];
  store: [output: string, storage: Storage | null];
}>();
const rows = computed(() => {
  const built = new Map((props.view.build?.outputs ?? []).map((output) => [output.file_name, output]));
  return props.view.planned.map((planned) => {
    const here = props.view.findings.filter((finding) => finding.stage === 'proved');
    const findings = here.filter((finding) => finding.subject === planned.file_name);
    const worst = findings.some((finding) => finding.severity === 'error') ? 'wrong' : 'look';
    return {
      planned,
      output: built.get(planned.file_name),
      state: findings.length ? worst : 'holds',
    } as const;
  });
});

function store(planned: PlannedView, change: Partial<Storage>): void {
  const wanted = { ...planned.storage, ...change };
  if (!FORMATS[wanted.format].srgb) wanted.srgb = false;
  emit('store', planned.key, wanted);
}
function after(planned: PlannedView): string {
  const stamp = planned.proof?.sha256.slice(0, 12) ?? '';
  return `/api/sets/${props.view.id}/proofs/${planned.key}/picture?side=after&size=small&v=${stamp}${lookedAt()}`;
}
</script>

<template>
  <div class="proofs" role="table" aria-label="Proofs">
    <div class="titles soft" role="row">
      <span role="columnheader">before, after, lost</span>
      <span role="columnheader">output</span>
      <span role="columnheader">stored as</span>
      <span role="columnheader" class="lost">
        <span>lost</span>
        <span class="figures"
          ><span /><span class="right">mean</span><span class="right">95 %</span
          ><span class="right">worst</span></span
        >
      </span>
      <span role="columnheader" class="right" title="On the GPU, with all mips; bits for each texel"
        >memory</span
      >
    </div>
    <div
      v-for="{ planned, output, state } in rows"
      :key="planned.key"
      class="proof"
      :class="{ lit: lit.includes(planned.file_name) }"
      role="row"
      :data-output="planned.key"
    >
      <span class="pictures" role="cell">
        <template v-if="output && planned.proof">
          <button class="plain" :aria-label="`${planned.file_name} before`" @click="emit('look', output)">
            <img
              class="thumb"
              width="36"
              height="36"
              alt=""
              :src="pictureUrl(ofOutput(output), 'RGB', 'small')"
            />
          </button>
          <button class="plain" :aria-label="`${planned.file_name} after`" @click="emit('blocks', output)">
            <img class="thumb" width="36" height="36" alt="" :src="after(planned)" />
          </button>
          <button
            class="plain"
            :aria-label="`${planned.file_name} difference`"
            :title="`White is ${planned.proof.full_scale} ${planned.proof.full_unit}`"
            @click="emit('difference', planned, 0)"
          >
            <img
              class="thumb"
              width="36"
              height="36"
              alt=""
              :src="pictureUrl(ofDifference(view.id, planned, planned.proof.sha256), 'RGB', 'small')"
            />
          </button>
        </template>
        <template v-else><span v-for="hole in 3" :key="hole" class="hole" /></template>
      </span>
      <span class="name" role="cell">
        <FileName :name="planned.file_name" />
        <span class="soft">{{ planned.title }}, {{ sizeWords(planned.width, planned.height) }}</span>
      </span>
      <span class="storage" role="cell">
        <template v-if="mayWork">
          <Select
            :model-value="planned.storage.format"
            :options="planned.formats"
            :option-label="(key: TextureFormat) => FORMATS[key].title"
            :aria-label="`Format of ${planned.file_name}`"
            @update:model-value="(format: Storage['format']) => store(planned, { format })"
          />
          <button
            class="flag mono"
            :aria-pressed="planned.storage.srgb"
            :disabled="!FORMATS[planned.storage.format].srgb"
            :aria-label="`sRGB flag of ${planned.file_name}`"
            @click="store(planned, { srgb: !planned.storage.srgb })"
          >
            {{ planned.storage.srgb ? 'sRGB' : 'linear' }}
          </button>
          <button
            v-if="planned.own_storage"
            class="plain soft"
            title="Store it as the target says"
            :aria-label="`Store ${planned.file_name} as the target says`"
            @click="emit('store', planned.key, null)"
          >
            ↺
          </button>
        </template>
        <span v-else class="mono">
          {{ planned.storage.format.toUpperCase() }} {{ planned.storage.srgb ? 'sRGB' : 'linear' }}
        </span>
      </span>
      <span class="lost" role="cell">
        <StateGlyph v-if="planned.proof || state === 'wrong'" :state="state" />
        <span v-if="planned.proof" class="figures mono">
          <template v-for="line in lostOf(planned.proof.figures)" :key="line.label">
            <span class="soft" :title="line.what">{{ line.label }}</span>
            <span class="right">{{ line.mean }}</span>
            <span class="right">{{ line.p95 }}</span>
            <span class="right">{{ line.worst }}</span>
          </template>
        </span>
        <span v-else class="faint">compression results are out of date</span>
      </span>
      <span class="mono right" role="cell">
        <template v-if="planned.proof">
          {{ bytesWords(planned.proof.figures.memory) }}<br />
          <span class="soft">{{ planned.proof.figures.bits_per_texel }} bit</span>
        </template>
      </span>
      <ProofLevels
        v-if="planned.proof && planned.proof.figures.levels > 1"
        class="chain"
        :figures="planned.proof.figures"
        :name="planned.file_name"
        @look="emit('difference', planned, $event)"
      />
    </div>
  </div>
</template>

<style scoped>
.titles,
.proof {
  display: grid;
  grid-template-columns: 116px minmax(126px, 1fr) 174px 166px 58px;
  gap: 10px;
  align-items: center;
  padding: 5px 4px;
  border-bottom: 1px solid var(--rule);
}
.titles {
  padding-block: 4px;
  white-space: nowrap;
}
.titles .lost {
  align-items: center;
}
.lit {
  background: var(--wash);
}
.pictures {
  display: flex;
  gap: 4px;
}
.hole {
  width: 36px;
  height: 36px;
  border: 1px dashed color-mix(in srgb, var(--ink) 30%, transparent);
}
.name {
  min-width: 0;
  display: grid;
}
.storage {
  display: flex;
  gap: 5px;
  align-items: center;
}

.storage .p-select {
  width: 98px;
}
.flag {
  border: 1px solid color-mix(in srgb, var(--ink) 26%, transparent);
  background: none;
  color: var(--soft);
  height: 26px;
  width: 52px;
  cursor: pointer;
}
.flag[aria-pressed='true'] {
  background: var(--ink);
  color: var(--paper);
}
.flag:disabled {
  opacity: 0.5;
  cursor: default;
}
.lost {
  display: flex;
  gap: 6px;
  align-items: baseline;
  min-width: 0;
}
.figures {
  flex: 1;
  display: grid;
  grid-template-columns: 20px repeat(3, 1fr);
  gap: 0 6px;
}
.right {
  text-align: right;
}
.chain {
  grid-column: 2 / -1;
}
</style>
