<script setup lang="ts">
// What the studio's data take, and how long what can be made again is kept.
import { useQueryClient } from '@tanstack/vue-query';
import Button from 'primevue/button';
import { computed, ref, watch } from 'vue';

import { api, take, type Schemas } from '@/api/client';
import { useSpace } from '@/api/studio';
import { bytesWords } from '@/lib/values/format';
import { useSay } from '@/lib/page/say';

import NumberField from '@/parts/widgets/NumberField.vue';
import Trouble from '@/parts/widgets/Trouble.vue';
import { counted } from '@/lib/values/local';

const space = useSpace();
const cache = useQueryClient();
const say = useSay();
const WORDS: Record<string, { text: string; about: string }> = {
  sources: { text: 'Sources', about: 'every revision of every file, kept for good' },
  meshes: { text: 'Meshes', about: 'of sets and projects, every revision' },
  environments: { text: 'Environments', about: 'light that the studio brought, for the stage' },
  builds: { text: 'Builds', about: 'outputs; made again from the sources' },
  proofs: { text: 'Proofs', about: 'encoded outputs; made again from the builds' },
  deliveries: { text: 'Deliveries', about: 'zips of what was delivered' },
  pictures: {
    text: 'Pictures',
    about: 'small pictures and tiles for the pages; painted again when they are looked at',
  },
};
const kept = ref<Schemas['RetentionView'] | null>(null);
watch(space.data, (now) => now && (kept.value ??= { ...now.retention }), { immediate: true });
const changed = computed(() => JSON.stringify(kept.value) !== JSON.stringify(space.data.value?.retention));
const total = computed(() =>
  (space.data.value?.kinds ?? []).reduce((sum, kind) => sum + (kind.bytes ?? 0), 0),
);
const most = computed(() => Math.max(1, ...(space.data.value?.kinds ?? []).map((kind) => kind.bytes ?? 0)));

function run(asked: Promise<Schemas['Space']>, said: string): void {
  asked.then((now) => {
    cache.setQueryData(['space'], now);
    kept.value = { ...now.retention };
    say.done(said);
  }, say.wrong);
}
function save(): void {
  if (kept.value)
    run(take(api.PUT('/api/studio/retention', { body: kept.value })), 'It holds from the next tidying.');
}
function tidy(): void {
  run(take(api.POST('/api/studio/tidy')), 'A worker tidies as soon as it is free.');
}
</script>

<template>
  <Trouble v-if="space.isError.value" :error="space.error.value" @again="space.refetch()" />
  <section v-else-if="space.data.value && kept" aria-label="Space">
    <div class="head">
      <h2>What is kept</h2>
      <span class="soft">{{ bytesWords(total) }} in all</span>
    </div>
    <div v-for="kind in space.data.value.kinds" :key="kind.key" class="kind">
      <span
        ><strong>{{ WORDS[kind.key]?.text ?? kind.key }}</strong>
        <span class="soft">{{ WORDS[kind.key]?.about }}</span></span
      >
      <span class="bar" aria-hidden="true"
        ><i :class="{ again: kind.again }" :style="{ width: `${((kind.bytes ?? 0) / most) * 100}%` }"
      /></span>
      <span class="mono">{{ kind.count ? counted(kind.count) : '' }}</span>
      <span class="mono">{{ kind.bytes === null ? 'not known' : bytesWords(kind.bytes) }}</span>
    </div>
    <div class="head part"><h2>Sources by project</h2></div>
    <div v-for="project in space.data.value.projects" :key="project.slug" class="kind">
      <strong>{{ project.title }}</strong>
      <span />
      <span class="mono">{{ counted(project.sources) }}</span>
      <span class="mono">{{ bytesWords(project.bytes) }}</span>
    </div>
    <div class="head part">
      <h2>How long what can be made again is kept</h2>
    </div>
    <form @submit.prevent="save">
      <label class="line">
        <span>Builds of each set and target, at least the last</span>
        <NumberField
          :model-value="kept.builds"
          whole
          :low="1"
          :high="1000"
          label="Builds that are kept"
          @update:model-value="kept && (kept = { ...kept, builds: $event ?? 1 })"
        />
      </label>
      <label class="line">
        <span>Everything that can be made again, for so many days</span>
        <NumberField
          :model-value="kept.days"
          unit="days"
          unit-beside
          whole
          :low="1"
          :high="3650"
          label="Days for which it is kept"
          @update:model-value="kept && (kept = { ...kept, days: $event ?? 1 })"
        />
        <span class="soft">days</span>
      </label>
      <label class="line">
        <span>Deliveries of each project and target, the last; 0 keeps all</span>
        <NumberField
          :model-value="kept.deliveries"
          whole
          :low="0"
          :high="10000"
          label="Deliveries that are kept"
          @update:model-value="kept && (kept = { ...kept, deliveries: $event ?? 0 })"
        />
      </label>
      <p class="soft about">
        Sources and what anything still refers to are never removed. A worker tidies every night.
      </p>
      <div class="acts">
        <Button type="submit" label="Save" :disabled="!changed" />
        <Button label="Tidy now" severity="secondary" @click="tidy" />
      </div>
    </form>
  </section>
</template>

<style scoped>
.kind {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 200px 70px 90px;
  gap: 16px;
  align-items: center;
  min-height: 34px;
  border-bottom: 1px solid var(--rule);
}
.kind > span:first-child {
  display: flex;
  flex-wrap: wrap;
  gap: 0 10px;
}
.kind .mono {
  text-align: right;
}
.bar {
  height: 8px;
  background: var(--wash);
}
.bar i {
  display: block;
  height: 100%;
  background: var(--ink);
}
.bar .again {
  background: var(--faint);
}
.part {
  margin-top: 26px;
}
.line {
  display: grid;
  grid-template-columns: 360px 110px auto;
  justify-content: start;
  gap: 16px;
  align-items: center;
  padding: 5px 0;
  border-bottom: 1px solid var(--rule);
}
.about {
  padding: 10px 0;
}
.acts {
  display: flex;
  gap: 10px;
}
</style>
