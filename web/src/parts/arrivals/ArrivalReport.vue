<script setup lang="ts">
// One drop and what became of each file: what was refused stands first.
import { computed, toRef } from 'vue';

import { api, take, type ArrivalView } from '@/api/client';
import { isOpen, useJobControl, useRefresh } from '@/api/queries';
import { useAsk } from '@/lib/page/ask';
import { counted, momentWords } from '@/lib/values/local';
import { useSay } from '@/lib/page/say';

import Meter from '@/parts/widgets/Meter.vue';
import StateGlyph from '@/parts/widgets/StateGlyph.vue';

const props = defineProps<{ arrival: ArrivalView; slug: string; mayWork: boolean }>();
const { cancel, retry } = useJobControl(toRef(props, 'slug'));
const refresh = useRefresh(toRef(props, 'slug'));
const ask = useAsk();
const say = useSay();

const refused = computed(() => props.arrival.items.filter((item) => item.outcome === 'refused'));
const noted = computed(() =>
  props.arrival.items.filter((item) => item.outcome !== 'refused' && item.problem),
);
/** What is said of many files in the same words is said once. */
const notes = computed(() => {
  const groups = new Map<string, typeof noted.value>();
  for (const item of noted.value) groups.set(item.problem, [...(groups.get(item.problem) ?? []), item]);
  return [...groups].map(([problem, items]) => ({ problem, items }));
});
const FEW = 3;
const taken = computed(() =>
  props.arrival.items.filter((item) => ['accepted', 'replaced'].includes(item.outcome)),
);
const sets = computed(() => {
  const found = new Map<number, { name: string; count: number }>();
  for (const item of taken.value) {
    if (item.set_id === null || item.set_name === null) continue;
    const entry = found.get(item.set_id) ?? { name: item.set_name, count: 0 };
    entry.count++;
    found.set(item.set_id, entry);
  }
  return [...found];
});
/** Neither sorted nor being sorted: it can be tried again, trimmed, or given up. */
const stopped = computed(() => ['failed', 'cancelled'].includes(props.arrival.job?.state ?? ''));
const waiting = computed(() => props.arrival.items.filter((item) => item.outcome === 'waiting'));
const MOST_SHOWN = 200;

function drop(): void {
  ask('Discard this upload?', 'Its files are deleted; nothing of them was taken.', 'Discard', () => {
    take(
      api.DELETE('/api/arrivals/{arrival_id}', { params: { path: { arrival_id: props.arrival.id } } }),
    ).then(refresh, say.wrong);
  });
}
function leaveOut(item: number): void {
  take(
    api.DELETE('/api/arrivals/{arrival_id}/items/{item_id}', {
      params: { path: { arrival_id: props.arrival.id, item_id: item } },
    }),
  ).then(refresh, say.wrong);
}
/** What became of it; nothing is said of files before they are looked at. */
const outcome = computed(() => {
  const files = props.arrival.items.length;
  const said = (count: number, what: string) => (count ? [`${counted(count)} ${what}`] : []);
  if (props.arrival.state !== 'done') return said(files, files === 1 ? 'file' : 'files').join('');
  const known = props.arrival.items.filter((item) => item.outcome === 'known').length;
  const parts = [
    ...said(taken.value.length, 'taken'),
    ...said(known, 'known already'),
    ...said(refused.value.length, 'refused'),
  ];
  return parts.join(', ') || 'nothing taken';
});
const when = computed(() => momentWords(props.arrival.created));
</script>

<template>
  <article class="arrival">
    <header class="title">
      <strong>{{ when }}</strong>
      <span class="soft">{{ arrival.by }}</span>
      <span class="soft">{{ outcome }}</span>
      <span class="space" />
      <template v-if="arrival.job && mayWork">
        <button
          v-if="isOpen(arrival.job)"
          class="plain link"
          :disabled="arrival.job.cancel_asked"
          @click="cancel.mutate(arrival.job.id, { onError: say.wrong })"
        >
          {{ arrival.job.cancel_asked ? 'Stopping' : 'Cancel' }}
        </button>
        <button
          v-else-if="arrival.job.state !== 'done'"
          class="plain link"
          @click="retry.mutate(arrival.job.id, { onError: say.wrong })"
        >
          Try again
        </button>
        <button v-if="stopped" class="plain link soft" @click="drop">Discard</button>
      </template>
    </header>
    <div v-if="arrival.job && isOpen(arrival.job)" class="work">
      <Meter :share="arrival.job.progress" label="Sorting" />
      <span class="mono soft">{{ arrival.job.doing || 'waiting' }}</span>
    </div>
    <p v-else-if="arrival.job?.problem" class="wrong">
      ✕ {{ arrival.job.problem }} {{ arrival.job.way_out }}
    </p>
    <p v-else-if="arrival.job?.state === 'cancelled'" class="soft">Cancelled before anything was taken.</p>
    <template v-if="stopped && mayWork && waiting.length">
      <p class="soft">
        Leave out what may be at fault, then try again:
        {{ counted(waiting.length) }} {{ waiting.length === 1 ? 'file' : 'files' }}.
      </p>
      <div v-for="item in waiting.slice(0, MOST_SHOWN)" :key="item.id" class="item">
        <StateGlyph state="none" />
        <span class="mono path">{{ item.path }}</span>
        <button class="plain link soft leave" @click="leaveOut(item.id)">Leave it out</button>
      </div>
    </template>
    <div v-for="item in refused" :key="item.id" class="item">
      <StateGlyph state="wrong" />
      <span class="mono path">{{ item.path }}</span>
      <span
        >{{ item.problem }} <span class="soft">{{ item.way_out }}</span></span
      >
    </div>
    <template v-for="{ problem, items } in notes" :key="problem">
      <details v-if="items.length > FEW" class="many">
        <summary>
          <StateGlyph state="note" /> {{ counted(items.length) }} files
          <span class="soft">{{ problem }}</span>
        </summary>
        <div v-for="item in items.slice(0, MOST_SHOWN)" :key="item.id" class="mono path">{{ item.path }}</div>
      </details>
      <template v-else>
        <div v-for="item in items" :key="item.id" class="item">
          <StateGlyph state="note" />
          <span class="mono path">{{ item.path }}</span>
          <span class="soft">{{ problem }}</span>
        </div>
      </template>
    </template>
    <p v-if="sets.length" class="sets">
      <StateGlyph state="holds" />
      <RouterLink
        v-for="[id, entry] in sets"
        :key="id"
        class="link"
        :to="{ name: 'set', params: { slug, id } }"
        >{{ entry.name }} <span class="mono soft">{{ entry.count }}</span></RouterLink
      >
    </p>
  </article>
</template>

<style scoped>
.arrival {
  border-bottom: 1px solid var(--rule);
  padding: 10px 8px;
}
.title {
  display: flex;
  gap: 12px;
  align-items: baseline;
}
.space {
  flex: 1;
}
.work {
  padding: 8px 0 2px;
}
.item {
  display: grid;
  grid-template-columns: 14px minmax(0, 1fr) minmax(0, 1.6fr);
  gap: 8px;
  padding: 4px 0;
  align-items: baseline;
}
.leave {
  justify-self: start;
}
.path {
  overflow-wrap: anywhere;
  line-height: 1.55;
}
.sets {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
  padding-top: 6px;
}
.wrong {
  color: var(--madder);
  padding-top: 4px;
}
.many summary {
  cursor: pointer;
  padding: 4px 0;
}
.many .path {
  padding-left: 24px;
}
</style>
