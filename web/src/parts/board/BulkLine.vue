<script setup lang="ts">
// Work on many sets: how far it is, and afterwards what did not work and why.
import Button from 'primevue/button';
import { computed, ref, toRef, watch } from 'vue';

import { useBulk, useMany } from '@/lib/page/many';
import { isOpen, useJobControl, useRefresh } from '@/api/queries';
import { useSay } from '@/lib/page/say';

import Meter from '@/parts/widgets/Meter.vue';
import StateGlyph from '@/parts/widgets/StateGlyph.vue';

const props = defineProps<{ slug: string; id: number; mayWork: boolean }>();
const emit = defineEmits<{ again: [bulk: number]; close: []; choose: [sets: number[]] }>();
const bulk = useBulk(toRef(props, 'id'));
const slug = toRef(props, 'slug');
const { cancel, retry } = useJobControl(slug);
const refresh = useRefresh(slug);
const many = useMany(slug);
const say = useSay();
const MOST = 12;
const whole = ref(false);

const job = computed(() => bulk.data.value?.job ?? null);
const open = computed(() => isOpen(job.value));
const items = computed(() => bulk.data.value?.items ?? []);
const of = (state: string) => items.value.filter((item) => item.state === state);
const failed = computed(() => of('failed'));
const waiting = computed(() => items.value.filter(({ state }) => state === 'waiting' || state === 'running'));
const WORDS = { build: 'built', prove: 'proved', dress: 'dressed', deliver: 'delivered' } as const;
const summary = computed(() => {
  const done = bulk.data.value ? WORDS[bulk.data.value.action] : '';
  const parts = [`${of('done').length} ${done}`];
  if (of('skipped').length) parts.push(`${of('skipped').length} already as they should be`);
  if (failed.value.length) parts.push(`${failed.value.length} did not work`);
  if (waiting.value.length && !open.value) parts.push(`${waiting.value.length} not begun`);
  return parts.join(', ');
});
const state = computed(() => {
  if (open.value) return 'none';
  if (job.value?.state === 'done') return failed.value.length ? 'look' : 'holds';
  return job.value?.state === 'failed' ? 'wrong' : 'look';
});
watch(open, (now, before) => before && !now && void refresh());
// Sets come in one by one: the board shows each as soon as it is done.
watch(
  () => of('done').length,
  () => open.value && void refresh(),
);

async function tryAgain(): Promise<void> {
  const action = bulk.data.value?.action;
  if (!action) return;
  const made = await many.begin(
    action,
    failed.value.map((item) => item.set_id),
  );
  if (made) emit('again', made.id);
}
</script>

<template>
  <section v-if="job" class="bulk" aria-label="Work on many sets">
    <div class="line">
      <StateGlyph :state="state" :label="job.state" />
      <strong>{{ job.title }}</strong>
      <template v-if="open">
        <Meter class="meter" :share="job.progress" :label="job.title" />
        <span class="soft doing">{{
          job.cancel_asked
            ? 'stopping after this set'
            : job.state === 'queued'
              ? 'waiting for a worker'
              : job.doing
        }}</span>
      </template>
      <span v-else class="soft" role="status"
        >{{ summary }}{{ job.state === 'cancelled' ? '; cancelled' : '' }}</span
      >
      <span class="space" />
      <template v-if="mayWork">
        <button
          v-if="open"
          class="plain link"
          :disabled="job.cancel_asked"
          @click="cancel.mutate(job.id, { onError: say.wrong, onSuccess: () => bulk.refetch() })"
        >
          Cancel
        </button>
        <template v-else>
          <button
            v-if="job.state !== 'done'"
            class="plain link"
            @click="retry.mutate(job.id, { onError: say.wrong, onSuccess: () => bulk.refetch() })"
          >
            Go on with the rest
          </button>
          <button
            v-if="failed.length && bulk.data.value?.action !== 'dress'"
            class="plain link"
            @click="tryAgain"
          >
            Try {{ failed.length === 1 ? 'it' : 'them' }} again
          </button>
        </template>
      </template>
      <button v-if="!open" class="plain link soft" @click="emit('close')">Close</button>
    </div>
    <p v-if="job.problem" class="wrong">{{ job.problem }} {{ job.way_out }}</p>
    <div v-if="failed.length" class="failed">
      <p v-for="item in whole ? failed : failed.slice(0, MOST)" :key="item.set_id">
        <StateGlyph state="wrong" />
        <RouterLink class="link" :to="{ name: 'set', params: { slug, id: item.set_id } }">{{
          item.name
        }}</RouterLink>
        {{ item.problem }} <span class="soft">{{ item.way_out }}</span>
      </p>
      <button v-if="failed.length > MOST" class="plain link soft" @click="whole = !whole">
        {{ whole ? 'fewer' : `and ${failed.length - MOST} more` }}
      </button>
      <Button
        label="Choose them on the board"
        severity="secondary"
        @click="
          emit(
            'choose',
            failed.map((item) => item.set_id),
          )
        "
      />
    </div>
  </section>
</template>

<style scoped>
.bulk {
  border: 1px solid var(--rule);
  border-left: 3px solid var(--ink);
  padding: 8px 12px;
  margin-bottom: 12px;
}
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
  align-items: center;
}
.meter {
  width: 120px;
}
.doing {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  max-width: 460px;
}
.space {
  flex: 1;
}
.failed {
  display: grid;
  gap: 4px;
  justify-items: start;
  margin-top: 8px;
  max-height: 220px;
  overflow: auto;
}
.wrong {
  color: var(--madder);
}
</style>
