<script setup lang="ts">
// A draft tried on chosen sets: each output as the project has it and as it would be, what changes, and what grows.
import Button from 'primevue/button';
import { computed, onScopeDispose, ref, toRef, watch } from 'vue';

import { api, take, type Schemas } from '@/api/client';
import { useBoard } from '@/api/queries';
import { pictureOf, type OutputTried, type TargetDocument } from '@/api/targets';
import { bytesWords } from '@/lib/values/format';
import { useSay } from '@/lib/page/say';

import LacksLine from './LacksLine.vue';

const [MOST, FEW] = [12, 6];
const props = defineProps<{
  slug: string;
  name: string;
  document: TargetDocument;
  now: TargetDocument | null;
}>();
const board = useBoard(toRef(props, 'slug'));
const say = useSay();
const chosen = ref<number[]>([]);
const busy = ref(false);
const result = ref<Schemas['SetTried'][] | null>(null);
/** Pictures by set, side and output. */
const pictures = ref<Record<string, string>>({});
/** What was tried; another draft makes it old. */
const triedAs = ref('');
const tried = computed(() => (triedAs.value ? (JSON.parse(triedAs.value) as object) : null));
const old = computed(() => triedAs.value !== '' && triedAs.value !== JSON.stringify(props.document));
watch(
  () => board.data.value?.sets,
  (sets) => {
    if (sets && !chosen.value.length) chosen.value = unlike(sets).map(({ id }) => id);
  },
  { immediate: true },
);

/** A few sets that differ most: one of each kind by what maps it has, those with the fewest first. */
function unlike<Set extends { has: string[] }>(sets: readonly Set[]): Set[] {
  const kinds = new Map<string, Set>();
  for (const set of [...sets].sort((a, b) => a.has.length - b.has.length)) {
    const kind = [...set.has].sort().join();
    if (!kinds.has(kind)) kinds.set(kind, set);
  }
  const first = [...kinds.values()];
  return [...first, ...sets.filter((set) => !first.includes(set))].slice(0, FEW);
}
interface Pair {
  key: string;
  title: string;
  before: OutputTried | undefined;
  after: OutputTried | undefined;
}
function pairs(set: Schemas['SetTried']): Pair[] {
  const [was, becomes] = [set.before, set.after].map((side) => side.filter(({ asked }) => asked));
  const keys = [...new Set([...(becomes ?? []), ...(was ?? [])].map(({ key }) => key))];
  return keys.map((key) => {
    const before = was?.find((entry) => entry.key === key);
    const after = becomes?.find((entry) => entry.key === key);
    return { key, title: (after ?? before)?.title ?? key, before, after };
  });
}
function said({ before, after }: Pair): string {
  if (!before) return 'new';
  if (!after) return 'not made any more';
  if (after.problem) return `cannot be made: ${after.problem}`;
  const words = [];
  if (before.content_key !== after.content_key) words.push('other pixels');
  if (before.file_name !== after.file_name) words.push(`called ${after.file_name}`);
  const grown = after.memory - before.memory;
  if (grown) words.push(`${grown > 0 ? '+' : '−'}${bytesWords(Math.abs(grown))}`);
  return words.join(', ') || 'the same';
}
async function draw(set: number, side: 'before' | 'after', entry: OutputTried | undefined): Promise<void> {
  const document = side === 'before' ? props.now : props.document;
  if (!entry || entry.problem || !document) return;
  try {
    const blob = await pictureOf(set, document, entry.place);
    pictures.value[`${set} ${side} ${entry.key}`] = URL.createObjectURL(blob);
  } catch {
    // The line says why it cannot be made.
  }
}
async function go(): Promise<void> {
  busy.value = true;
  triedAs.value = JSON.stringify(props.document);
  Object.values(pictures.value).forEach((url) => URL.revokeObjectURL(url));
  pictures.value = {};
  try {
    result.value = await take(
      api.POST('/api/projects/{slug}/targets/{name}/try', {
        params: { path: { slug: props.slug, name: props.name } },
        body: {
          document: props.document as unknown as Record<string, unknown>,
          sets: chosen.value.slice(0, MOST),
        },
      }),
    );
    for (const set of result.value)
      for (const pair of pairs(set)) {
        await draw(set.set_id, 'before', pair.before);
        await draw(set.set_id, 'after', pair.after);
      }
  } catch (error) {
    say.wrong(error);
  }
  busy.value = false;
}
onScopeDispose(() => Object.values(pictures.value).forEach((url) => URL.revokeObjectURL(url)));
function toggle(id: number): void {
  chosen.value = chosen.value.includes(id)
    ? chosen.value.filter((held) => held !== id)
    : [...chosen.value, id].slice(-MOST);
}
function shown(set: number, side: string, entry: OutputTried | undefined): Record<string, string> {
  const url = entry && pictures.value[`${set} ${side} ${entry.key}`];
  const count = entry && entry.channels.length > 1 ? entry.channels.length + 1 : 1;
  return url ? { backgroundImage: `url(${url})`, backgroundSize: `${count * 100}% 100%` } : {};
}
</script>

<template>
  <section class="trial" aria-label="Try it on sets">
    <div class="head">
      <h2>Try it on sets</h2>
      <span class="soft"
        >{{ chosen.length }} of {{ board.data.value?.sets.length ?? 0 }} sets, {{ MOST }} at most</span
      >
    </div>
    <div class="sets">
      <button
        v-for="set in board.data.value?.sets ?? []"
        :key="set.id"
        class="plain pick"
        :aria-pressed="chosen.includes(set.id)"
        @click="toggle(set.id)"
      >
        {{ set.name }}
      </button>
    </div>
    <Button
      :label="old ? 'Try it again' : 'Try it'"
      severity="secondary"
      :loading="busy"
      :disabled="!chosen.length"
      @click="go"
    />
    <p v-if="old" class="soft">The draft has changed since.</p>
    <template v-if="result && tried">
      <h3>All {{ board.data.value?.sets.length }} sets of the project</h3>
      <LacksLine :slug="slug" :target="name" :sets="null" :document="tried" />
    </template>
    <div v-for="set in result ?? []" :key="set.set_id" class="set">
      <h3>
        {{ set.name }}
        <span class="mono soft"
          >{{ bytesWords(set.memory_before) }} → {{ bytesWords(set.memory_after) }}</span
        >
      </h3>
      <div class="pairs">
        <figure v-for="pair in pairs(set)" :key="pair.key">
          <div class="two">
            <div
              class="well"
              :style="shown(set.set_id, 'before', pair.before)"
              role="img"
              aria-label="Before"
            />
            <div class="well" :style="shown(set.set_id, 'after', pair.after)" role="img" aria-label="After" />
          </div>
          <figcaption>
            <strong>{{ pair.title }}</strong> <span class="soft">{{ said(pair) }}</span>
          </figcaption>
        </figure>
      </div>
    </div>
  </section>
</template>

<style scoped>
.trial {
  margin-top: 26px;
  display: grid;
  gap: 10px;
  justify-items: start;
}
.trial > .head {
  width: 100%;
}
.sets {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
  max-height: 120px;
  overflow: auto;
}
.pick {
  padding: 2px 8px;
  border: 1px solid var(--rule);
}
.pick[aria-pressed='true'] {
  background: var(--ink);
  border-color: var(--ink);
  color: var(--paper);
}
.set {
  width: 100%;
  border-top: 1px solid var(--rule);
  padding-top: 8px;
}
h3 {
  font-size: 13px;
}
.pairs {
  display: flex;
  flex-wrap: wrap;
  gap: 12px 18px;
  margin-top: 8px;
}
figure {
  margin: 0;
  width: 202px;
}
.two {
  display: flex;
  gap: 2px;
}
.well {
  width: 100px;
  height: 100px;
  background: var(--well) no-repeat;
}
figcaption {
  font-size: 12px;
  line-height: 1.35;
  margin-top: 3px;
}
</style>
