<script setup lang="ts">
// A packed file brought into any other layout, or taken apart, without making a set: nothing is kept.
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import Select from 'primevue/select';
import { computed, ref, shallowRef, useTemplateRef, watch } from 'vue';
import { useRoute } from 'vue-router';

import { api, csrfToken, take, toApiError, type Schemas } from '@/api/client';
import { useProjectTargets, useTargets } from '@/api/targets';
import { useAddress } from '@/lib/page/address';
import { sampleWords, sizeWords } from '@/lib/values/format';
import { useSay } from '@/lib/page/say';
import PickOne from '@/parts/widgets/PickOne.vue';
import StateGlyph from '@/parts/widgets/StateGlyph.vue';

type Way = 'measured' | 'pairs' | 'target';
type Goal = 'apart' | 'pairs' | 'target';
type Direction = '+Y' | '-Y';
const PAUSE = 300;
const DIRECTIONS = [
  { value: '+Y', text: '+Y' },
  { value: '-Y', text: '−Y' },
] as const;
const route = useRoute();
const slug = computed(() => String(route.params.slug));
const targets = useTargets();
const held = useProjectTargets(slug);
const say = useSay();
const input = useTemplateRef<HTMLInputElement>('input');
const file = shallowRef<File | null>(null);
const seen = shallowRef<Schemas['RepackLook'] | null>(null);
const busy = ref(false);
const over = ref(false);
const way = useAddress<Way>('way', 'measured', ['measured', 'pairs', 'target']);
const goal = useAddress<Goal>('goal', 'apart', ['apart', 'pairs', 'target']);
const fromPairs = useAddress('from', 'R=occlusion,G=roughness,B=metallic');
const toPairs = useAddress('to', 'R=metallic,A=smoothness');
const fromTarget = useAddress('from-target', '');
const toTarget = useAddress('to-target', '');
const fromY = useAddress<Direction>('from-y', '+Y', ['+Y', '-Y']);
const toY = useAddress<Direction>('to-y', '+Y', ['+Y', '-Y']);

/** Whole targets, and each of their outputs by itself. */
const documents = ref<Record<string, Schemas['Target']>>({});
watch(
  () => targets.data.value?.targets,
  async (lines) => {
    const known = (lines ?? []).filter(({ version }) => version);
    const found = await Promise.all(
      known.map(({ name }) => {
        const version = held.data.value?.targets.find((pin) => pin.name === name)?.version ?? null;
        return take(api.GET('/api/targets/{name}', { params: { path: { name }, query: { version } } }));
      }),
    );
    documents.value = Object.fromEntries(
      found.flatMap(({ name, document }) => (document ? [[name, document]] : [])),
    );
  },
  { immediate: true },
);
const outputs = computed(() =>
  Object.entries(documents.value).flatMap(([name, document]) =>
    document.outputs.map((output) => ({
      value: `${name}:${output.key}`,
      text: `${document.title}: ${output.title}`,
    })),
  ),
);
const goals = computed(() => [
  ...Object.entries(documents.value).map(([value, { title }]) => ({
    value,
    text: `${title}, all that fits`,
  })),
  ...outputs.value,
]);
const asked = computed(() => ({
  source: { measured: 'measured', pairs: fromPairs.value, target: fromTarget.value }[way.value],
  result: { apart: 'apart', pairs: toPairs.value, target: toTarget.value }[goal.value],
  source_y: fromY.value,
  result_y: toY.value,
}));
const whole = computed(() => !!asked.value.source && !!asked.value.result);

function form(): FormData {
  const body = new FormData();
  if (file.value) body.append('file', file.value);
  for (const [name, value] of Object.entries(asked.value)) body.append(name, value);
  return body;
}
let latest = 0;
async function look(): Promise<void> {
  if (!file.value || !whole.value) return;
  const mine = ++latest;
  busy.value = true;
  try {
    const answer = await take(
      api.POST('/api/projects/{slug}/repack/look', {
        params: { path: { slug: slug.value } },
        body: form() as never,
        bodySerializer: (body) => body as unknown as FormData,
      }),
    );
    if (mine === latest) seen.value = answer;
  } catch (error) {
    if (mine === latest) {
      seen.value = null;
      say.wrong(error);
    }
  }
  if (mine === latest) busy.value = false;
}
let timer = 0;
watch([file, asked], () => {
  window.clearTimeout(timer);
  timer = window.setTimeout(() => void look(), PAUSE);
});
async function make(): Promise<void> {
  busy.value = true;
  try {
    const answer = await fetch(`/api/projects/${slug.value}/repack`, {
      method: 'POST',
      headers: { 'X-CSRFToken': csrfToken() },
      body: form(),
    });
    if (!answer.ok) throw toApiError(answer.status, await answer.json().catch(() => null));
    const link = document.createElement('a');
    link.href = URL.createObjectURL(await answer.blob());
    link.download =
      answer.headers.get('Content-Disposition')?.match(/filename="?([^";]+)/)?.[1] ?? 'repacked';
    link.click();
    window.setTimeout(() => URL.revokeObjectURL(link.href), 1000);
  } catch (error) {
    say.wrong(error);
  }
  busy.value = false;
}
function choose(list: FileList | null | undefined): void {
  over.value = false;
  if (list?.[0]) file.value = list[0];
}
const wells = computed(() => Object.entries(seen.value?.pictures ?? {}));
function holds(view: string): string {
  if (view === 'RGB') return 'all colours';
  const row = seen.value?.rows.find(({ channels }) => channels.includes(view));
  if (!row) return 'nothing that is known';
  return `${row.inverted ? '1 − ' : ''}${row.title.toLowerCase()}${row.normal_y ? `, ${row.normal_y.replace('-', '−')}` : ''}`;
}
</script>

<template>
  <main v-keep-scroll class="page">
    <h1>Repack</h1>
    <p class="soft intro">
      One packed file into any other layout, or into a map for each property. No set is made, and nothing is
      kept.
    </p>
    <button
      class="plain drop"
      :class="{ over }"
      @click="input?.click()"
      @dragover.prevent.stop="over = true"
      @dragleave="over = false"
      @drop.prevent.stop="choose($event.dataTransfer?.files)"
    >
      <strong>{{ file?.name ?? 'Drop a packed file here, or choose one' }}</strong>
      <span v-if="seen" class="mono"
        >{{ sizeWords(seen.width, seen.height) }}, {{ sampleWords(seen.sample) }},
        {{ seen.channels.join('') }}</span
      >
      <span v-else class="soft">PNG, TGA, TIFF, OpenEXR, JPEG or WebP</span>
    </button>
    <input
      ref="input"
      type="file"
      class="unseen"
      tabindex="-1"
      aria-label="A packed file"
      @change="choose(($event.target as HTMLInputElement).files)"
    />
    <div v-if="wells.length" class="wells">
      <figure v-for="[view, picture] in wells" :key="view">
        <img :src="`data:image/png;base64,${picture}`" :alt="view" />
        <figcaption>
          <b class="mono">{{ view }}</b> {{ holds(view) }}
        </figcaption>
      </figure>
    </div>
    <section class="choice">
      <h2>What it holds</h2>
      <PickOne
        v-model="way"
        label="What it holds"
        :choices="[
          { value: 'measured', text: 'measured from its pixels' },
          { value: 'pairs', text: 'in pairs' },
          { value: 'target', text: 'an output of a target' },
        ]"
      />
      <InputText
        v-if="way === 'pairs'"
        v-model.lazy="fromPairs"
        class="mono pairs"
        aria-label="Pairs of channel and property"
        spellcheck="false"
      />
      <Select
        v-if="way === 'target'"
        v-model="fromTarget"
        :options="outputs"
        option-label="text"
        option-value="value"
        placeholder="Which output"
        aria-label="Output that it is"
        filter
      />
      <label v-if="way === 'pairs'"
        >normals point <PickOne v-model="fromY" label="Normals in it" :choices="DIRECTIONS"
      /></label>
      <p v-if="way === 'measured' && seen?.pairs" class="mono soft">{{ seen.pairs }}</p>
    </section>
    <section class="choice">
      <h2>What it becomes</h2>
      <PickOne
        v-model="goal"
        label="What it becomes"
        :choices="[
          { value: 'apart', text: 'a map for each property' },
          { value: 'pairs', text: 'in pairs' },
          { value: 'target', text: 'as a target wants it' },
        ]"
      />
      <InputText
        v-if="goal === 'pairs'"
        v-model.lazy="toPairs"
        class="mono pairs"
        aria-label="Pairs of the result"
        spellcheck="false"
      />
      <Select
        v-if="goal === 'target'"
        v-model="toTarget"
        :options="goals"
        option-label="text"
        option-value="value"
        placeholder="Which target"
        aria-label="Target that it is for"
        filter
      />
      <label v-if="goal !== 'target'"
        >normals point <PickOne v-model="toY" label="Normals in the result" :choices="DIRECTIONS"
      /></label>
    </section>
    <p v-if="seen?.problem" class="wrongly" role="alert">
      <StateGlyph state="wrong" /> {{ seen.problem }} {{ seen.way_out }}
    </p>
    <ul v-if="seen?.outputs.length" class="made">
      <li v-for="output in seen.outputs" :key="output.file_name">
        <StateGlyph :state="output.problem ? 'wrong' : 'holds'" />
        <strong class="mono">{{ output.file_name }}</strong>
        <span v-if="output.problem" class="wrongly">{{ output.problem }}</span>
        <span v-else class="soft">{{
          Object.entries(output.channels)
            .map(([channel, meaning]) => `${channel} ${meaning.toLowerCase()}`)
            .join(' · ')
        }}</span>
      </li>
    </ul>
    <Button
      v-if="file"
      label="Repack and download"
      :loading="busy"
      :disabled="!seen?.outputs.some(({ problem }) => !problem)"
      @click="make"
    />
  </main>
</template>

<style scoped>
.page {
  flex: 1;
  padding: 18px 20px 40px;
  overflow: auto;
  min-width: 0;
}
.intro {
  margin: 4px 0 16px;
}
.drop {
  display: flex;
  gap: 18px;
  align-items: baseline;
  width: 100%;
  padding: 18px 14px;
  border: 1px dashed color-mix(in srgb, var(--ink) 40%, transparent);
}
.drop:hover,
.over {
  background: var(--wash);
}
.wells {
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
  margin-top: 14px;
}
figure {
  margin: 0;
  width: 160px;
}
figure img {
  display: block;
  width: 160px;
  height: 160px;
  object-fit: contain;
  background: var(--well);
}
figcaption {
  padding-top: 4px;
}
figcaption b {
  margin-right: 5px;
}
.choice {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px 14px;
  margin-top: 18px;
}
.choice h2 {
  width: 118px;
}
.choice label {
  display: flex;
  gap: 8px;
  align-items: center;
  color: var(--soft);
}
.pairs {
  width: 340px;
}
.made {
  list-style: none;
  margin: 18px 0;
  padding: 0;
  border-top: 1px solid var(--ink);
}
.made li {
  display: flex;
  gap: 12px;
  padding: 6px 8px;
  border-bottom: 1px solid var(--rule);
}
.wrongly {
  color: var(--madder);
  margin: 12px 0;
}
</style>
