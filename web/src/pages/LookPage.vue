<script setup lang="ts">
// A set's pictures on the table: any map or output, alone or beside another, down to the texel, and lit.
import Select from 'primevue/select';
import { useQuery } from '@tanstack/vue-query';
import { computed, nextTick, onBeforeUnmount, ref, watch } from 'vue';
import { useRoute } from 'vue-router';

import { api, take } from '@/api/client';
import { useFile } from '@/api/arriving';
import { useMayWork, useSet } from '@/api/queries';
import { useKeys } from '@/lib/keys';
import type { Look, Together } from '@/lib/painter';
import {
  VIEWS,
  isOverlay,
  ofEvidence,
  ofFile,
  ofOutput,
  viewsOf,
  type Subject,
  type View,
} from '@/lib/pictures';
import FigureList, { type Figure } from '@/parts/FigureList.vue';
import Histogram from '@/parts/Histogram.vue';
import LitView from '@/parts/LitView.vue';
import PictureTable from '@/parts/PictureTable.vue';
import Trouble from '@/parts/Trouble.vue';

const route = useRoute();
const slug = computed(() => String(route.params.slug));
const id = ref(Number(route.params.id));
const set = useSet(id);
const mayWork = useMayWork(slug);
/** Whether the lit shape has the place of the table. */
const large = ref(false);
const table = ref<InstanceType<typeof PictureTable> | null>(null);
const a = ref(typeof route.query.a === 'string' ? route.query.a : '');
const b = ref('');
const view = ref<View>('RGB');
const texel = ref<{ x: number; y: number } | null>(null);
const zoom = ref(1);
const look = ref<Look>({
  channel: 0,
  exposure: 0,
  colour: true,
  times: 1,
  together: 'a',
  wipe: 0.5,
  factor: 8,
  clipping: false,
});
const PAUSE = 70;

const subjects = computed(() => {
  const now = set.data.value;
  if (!now) return [];
  const files = now.files.map((file) => ofFile(file));
  const outputs = (now.build?.outputs ?? []).map((output) => ofOutput(output));
  return [...files, ...outputs].map((subject) => ({
    key: `${subject.kind}-${subject.id}`,
    label: subject.name,
    subject,
  }));
});
const first = computed(() => subjects.value.find((entry) => entry.key === a.value)?.subject ?? null);
const firstFile = computed(() => (first.value?.kind === 'files' ? first.value.id : null));
const measured = useFile(firstFile);
function keyOf({ kind, channel }: Pick<Figure, 'kind' | 'channel'>): string {
  return `evidence-${kind}${channel ? `-${channel}` : ''}`;
}
/** Lay a figure's picture over the first one, or take it away again; one that cannot lie over it stands in its place. */
function lay(figure: Figure): void {
  b.value = b.value === keyOf(figure) ? '' : keyOf(figure);
}
/** Pictures behind the figures of the first file, to be laid over it or to stand in its place. */
const overlays = computed(() => {
  const file = first.value;
  const figures = measured.data.value?.figures ?? [];
  if (file?.kind !== 'files' || measured.data.value?.id !== file.id) return [];
  return figures.flatMap(({ what, kind, channel, caption }) => {
    if (!kind || kind === 'plain') return [];
    const label = `${what.startsWith('channel') ? `${what}: ` : ''}${caption}`;
    return [
      {
        key: keyOf({ kind, channel }),
        label,
        subject: ofEvidence(file, kind, label, channel),
      },
    ];
  });
});
const others = computed(() => [
  ...overlays.value,
  ...subjects.value.filter((entry) => entry.key !== a.value),
]);
const second = computed(() => others.value.find((entry) => entry.key === b.value)?.subject ?? null);
const views = computed(() => viewsOf(first.value?.channels ?? []));
const shown = computed<View>(() => (views.value.includes(view.value) ? view.value : 'RGB'));
const onTable = computed(() =>
  look.value.together === 'b' && second.value && !second.value.address ? second.value : first.value,
);

watch(
  subjects,
  (now) => {
    if (!now.some((entry) => entry.key === a.value)) {
      const base = set.data.value?.lines.find((line) => line.property === 'base_colour')?.file;
      a.value = base ? `files-${base.id}` : (now[0]?.key ?? '');
    }
  },
  { immediate: true },
);
watch(b, (now) => {
  const kind = now.startsWith('evidence-') ? now.replace('evidence-', '') : '';
  const aside = kind && !isOverlay(kind.replace(/-[YRGBA]$/, ''));
  look.value.together = now ? (aside ? 'b' : 'wipe') : 'a';
});
watch(shown, (now) => (look.value.channel = { RGB: 0, R: 1, G: 2, B: 3, A: 1 }[now]));
watch(
  first,
  (now) => {
    const line = set.data.value?.lines.find(
      (entry) => entry.file?.id === now?.id && entry.row?.encoding === 'srgb',
    );
    const output = set.data.value?.build?.outputs.find((entry) => entry.id === now?.id);
    look.value.colour = now?.kind === 'outputs' ? output?.encoding === 'srgb' : Boolean(line);
  },
  { immediate: true },
);

/** The texel that is asked about: a moment after the pointer rests on it. */
const asked = ref<{ kind: string; id: number; stamp: string; x: number; y: number } | null>(null);
let waiting = 0;
watch([texel, onTable], ([at, subject]) => {
  window.clearTimeout(waiting);
  if (!at || !subject) return;
  waiting = window.setTimeout(
    () => (asked.value = { kind: subject.kind, id: subject.id, stamp: subject.stamp, ...at }),
    PAUSE,
  );
});
onBeforeUnmount(() => window.clearTimeout(waiting));
const readout = useQuery({
  // What a texel means follows from the file's bytes and from the ledger.
  queryKey: ['texel', asked, computed(() => set.data.value?.edit)],
  enabled: () => asked.value !== null,
  staleTime: Infinity,
  placeholderData: (before: unknown) => before as never,
  queryFn: () => {
    const { kind, id: of, x, y } = asked.value as { kind: string; id: number; x: number; y: number };
    return kind === 'files'
      ? take(api.GET('/api/files/{file_id}/texel', { params: { path: { file_id: of }, query: { x, y } } }))
      : take(
          api.GET('/api/outputs/{output_id}/texel', { params: { path: { output_id: of }, query: { x, y } } }),
        );
  },
});
function stored(value: number | null): string {
  if (value === null) return 'no number';
  return Number.isInteger(value) ? String(value) : value.toFixed(4);
}
const histogram = useQuery({
  queryKey: ['histogram', onTable],
  enabled: () => onTable.value !== null,
  staleTime: Infinity,
  queryFn: () => {
    const subject = onTable.value as Subject;
    return subject.kind === 'files'
      ? take(api.GET('/api/files/{file_id}/histogram', { params: { path: { file_id: subject.id } } }))
      : take(api.GET('/api/outputs/{output_id}/histogram', { params: { path: { output_id: subject.id } } }));
  },
});

/** What lies on the table, in words. */
const names = computed(() => {
  const [one, two] = [first.value?.name ?? '', second.value?.name ?? ''];
  return { a: one, b: two, wipe: `${one} | ${two}`, difference: `${one} − ${two}` }[look.value.together];
});

/** Keys belong to the table again once a picture has been chosen. */
function release(): void {
  if (document.activeElement instanceof HTMLElement) document.activeElement.blur();
}
function together(now: Together): void {
  if (second.value) look.value.together = now;
}
function swap(): void {
  if (!second.value) return;
  look.value.together = look.value.together === 'b' ? 'a' : 'b';
}
function expose(by: number): void {
  look.value.exposure = Math.max(-8, Math.min(8, look.value.exposure + by));
}
async function seams(): Promise<void> {
  look.value.times = 2;
  await nextTick();
  table.value?.corner();
}
function times(): void {
  look.value.times = (look.value.times % 3) + 1;
}
useKeys({
  ' ': swap,
  x: () => together('wipe'),
  d: () => together('difference'),
  c: () => (look.value.clipping = !look.value.clipping),
  m: times,
  l: () => (large.value = !large.value),
  s: () => void seams(),
  ',': () => expose(-0.5),
  '.': () => expose(0.5),
  '+': () => table.value?.zoom('in'),
  '=': () => table.value?.zoom('in'),
  '-': () => table.value?.zoom('out'),
  '0': () => table.value?.zoom('fit'),
  z: () => table.value?.zoom('one'),
  ...Object.fromEntries(
    VIEWS.map((entry, index) => [
      String(index + 1),
      () => views.value.includes(entry) && (view.value = entry),
    ]),
  ),
});
</script>

<template>
  <Trouble v-if="set.isError.value" :error="set.error.value" @again="set.refetch()" />
  <main v-else-if="set.data.value" class="page" :class="{ large }">
    <div v-show="!large" class="left">
      <header class="top">
        <RouterLink class="link" :to="{ name: 'set', params: { slug, id } }"
          ><strong>{{ set.data.value.name }}</strong></RouterLink
        >
        <Select
          v-model="a"
          :options="subjects"
          option-label="label"
          option-value="key"
          aria-label="Picture A"
          filter
          @hide="release"
        />
        <span class="soft">and</span>
        <Select
          v-model="b"
          :options="others"
          option-label="label"
          option-value="key"
          placeholder="another, to compare"
          aria-label="Picture B"
          show-clear
          filter
          @hide="release"
        />
      </header>
      <div v-if="second" class="strip mono" role="group" aria-label="Two pictures together">
        <button
          v-for="[key, word] in [
            ['a', 'A'],
            ['b', 'B'],
            ['wipe', 'wipe'],
            ['difference', 'difference'],
          ] as [Together, string][]"
          :key="key"
          class="tool"
          :class="{ on: look.together === key }"
          :aria-pressed="look.together === key"
          @click="together(key)"
        >
          {{ word }}
        </button>
        <label v-if="look.together === 'difference'" class="factor"
          >×
          <input v-model.number="look.factor" type="range" min="1" max="64" aria-label="Difference times" />{{
            look.factor
          }}</label
        >
        <span class="space" />
        <span class="names">{{ names }}</span>
      </div>
      <PictureTable
        v-if="first"
        ref="table"
        :first="first"
        :second="second"
        :view="shown"
        :look="look"
        @texel="texel = $event"
        @wipe="look.wipe = $event"
        @zoom="zoom = $event"
      />
      <p v-else class="soft none">This set has no pictures yet.</p>
      <div class="strip mono">
        <button
          v-for="entry in views"
          :key="entry"
          class="tool"
          :class="{ on: entry === shown }"
          :aria-pressed="entry === shown"
          @click="view = entry"
        >
          {{ entry === 'RGB' && !first?.channels.includes('R') ? 'Y' : entry }}
        </button>
        <span class="bar" />
        <button
          v-for="count in [1, 2, 3]"
          :key="count"
          class="tool"
          :class="{ on: look.times === count }"
          :aria-pressed="look.times === count"
          :title="count === 1 ? 'once' : `tiled ${count} × ${count}`"
          @click="look.times = count"
        >
          {{ count }}×{{ count }}
        </button>
        <span class="bar" />
        <button class="tool" title="Half a stop darker (,)" @click="expose(-0.5)">−</button>
        <button class="tool wide" title="Back to no change" @click="look.exposure = 0">
          {{ look.exposure > 0 ? '+' : '' }}{{ look.exposure.toFixed(1).replace('-', '−') }} stops
        </button>
        <button class="tool" title="Half a stop lighter (.)" @click="expose(0.5)">+</button>
        <span class="bar" />
        <button class="tool" title="Where four tiles meet (S)" @click="seams">seams</button>
        <button
          class="tool"
          :class="{ on: look.clipping }"
          :aria-pressed="look.clipping"
          title="Mark texels at 0 and at the top (C)"
          @click="look.clipping = !look.clipping"
        >
          clipping
        </button>
        <span class="space" />
        <button class="tool" title="Whole picture (0)" @click="table?.zoom('fit')">whole</button>
        <button class="tool wide" title="One screen pixel a texel (Z)" @click="table?.zoom('one')">
          {{ zoom >= 1 ? zoom.toFixed(zoom < 10 ? 1 : 0) : zoom.toFixed(2) }}×
        </button>
      </div>
    </div>
    <aside class="side">
      <section v-if="!large" class="block" aria-label="Under the pointer">
        <div class="head">
          <h2>Under the pointer</h2>
          <span class="mono soft">{{ texel ? `${texel.x}, ${texel.y}` : '' }}</span>
        </div>
        <template v-if="readout.data.value && texel">
          <div class="values mono">
            <span v-for="(value, name) in readout.data.value.stored" :key="name"
              ><b>{{ name }}</b> {{ stored(value) }}</span
            >
          </div>
          <p class="soft means">{{ readout.data.value.means || 'no row of the ledger reads it' }}</p>
        </template>
        <p v-else class="soft means">Point at a texel to read what is stored there and what it means.</p>
      </section>
      <section v-if="!large" class="block" aria-label="Histogram">
        <div class="head">
          <h2>Histogram</h2>
          <span class="soft">{{ onTable?.name }}</span>
        </div>
        <Histogram :counts="histogram.data.value" :only="shown" />
      </section>
      <LitView :set="set.data.value" :may-work="mayWork" :large="large" @large="large = !large" />
      <FigureList
        v-if="!large && first && measured.data.value?.id === firstFile"
        class="figures"
        :file-id="first.id"
        :stamp="first.stamp"
        :figures="measured.data.value?.figures ?? []"
        :is-shown="(figure) => b === keyOf(figure)"
        @show="lay"
      />
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
.left {
  flex: 1;
  min-width: 0;
  display: flex;
  flex-direction: column;
}
.top {
  display: flex;
  gap: 10px;
  align-items: center;
  padding: 8px 14px;
}
.top .p-select {
  width: 230px;
}
.wide {
  min-width: 66px;
}
.bar {
  width: 1px;
  height: 14px;
  background: #4a525c;
  margin: 0 4px;
}
.names {
  padding: 0 12px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.factor {
  padding-left: 10px;
  display: flex;
  align-items: center;
  gap: 5px;
}
.factor input {
  width: 70px;
  accent-color: #f6f4ef;
}
.side {
  width: 366px;
  flex: none;
  border-left: 1px solid var(--rule);
  overflow: auto;
}
.block {
  padding: 12px 16px 14px;
}
.figures {
  padding: 16px;
}
.large .side {
  flex: 1;
  width: auto;
  border-left: 0;
  display: flex;
  flex-direction: column;
}
.values {
  display: flex;
  gap: 14px;
  padding-top: 8px;
  font-size: 12px;
}
.values b {
  color: var(--soft);
  font-weight: 500;
}
.means {
  padding-top: 6px;
  min-height: 42px;
}
.none {
  padding: 30px;
}
</style>
