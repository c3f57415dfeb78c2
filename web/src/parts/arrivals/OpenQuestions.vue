<script setup lang="ts">
// All open questions of a project, worst first, settled by hand or by keyboard without leaving the page.
import Button from 'primevue/button';
import { computed, nextTick, ref, toRef, watch } from 'vue';

import { useQuestions, useSettle, type Chosen } from '@/api/arriving';
import { useActions } from '@/lib/page/keys';
import { useSay } from '@/lib/page/say';

import QuestionCard from './QuestionCard.vue';
import Trouble from '@/parts/widgets/Trouble.vue';

const props = defineProps<{ slug: string; mayWork: boolean; lead: boolean }>();
const slug = toRef(props, 'slug');
const questions = useQuestions(slug);
const settle = useSettle(slug);
const say = useSay();
const at = ref(0);
const teach = ref(false);
const busy = ref(false);
const list = ref<HTMLElement | null>(null);
const NOBODY: Chosen = { members: [], places: [] };
const picked = ref<Chosen>(NOBODY);
/** An ending that is settled for good needs no asking again: a lead's answer is kept, unless they say otherwise. */
const KEPT = ['ending'];

const open = computed(() => questions.data.value?.open ?? []);
const settled = computed(() => questions.data.value?.settled ?? []);
const kinds = computed(() => {
  const alike = open.value.filter((entry) => entry.question.kind === open.value[at.value]?.question.kind);
  return alike.length > 1 ? alike : [];
});

watch(open, (now) => (at.value = Math.max(0, Math.min(at.value, now.length - 1))));
watch(
  () => open.value[at.value]?.question.key,
  () => {
    const kind = open.value[at.value]?.question.kind;
    teach.value = props.lead && kind !== undefined && KEPT.includes(kind);
    picked.value = NOBODY;
  },
  { immediate: true },
);

async function run(act: Promise<void>, done: string): Promise<void> {
  if (busy.value) return;
  busy.value = true;
  try {
    await act;
    if (done) say.done(done);
  } catch (error) {
    say.wrong(error);
  } finally {
    busy.value = false;
  }
}
function answer(
  index: number,
  key: string | null,
  taught: boolean,
  holds: Record<string, string> | null = null,
): void {
  const entry = open.value[index];
  if (!entry || !props.mayWork || busy.value) return;
  const some = index === at.value && picked.value.members.length + picked.value.places.length > 0;
  const act = settle.answer(entry.question.key, key, taught && !some, some ? picked.value : null, holds);
  picked.value = NOBODY;
  void run(act, taught && !some ? 'Settled, and the house rules know it now.' : '');
}
async function go(by: number): Promise<void> {
  at.value = Math.max(0, Math.min(open.value.length - 1, at.value + by));
  await nextTick();
  list.value?.querySelector('[aria-current=true]')?.scrollIntoView({ block: 'nearest' });
}
function byNumber(number: number): void {
  const question = open.value[at.value]?.question;
  if (!question) return;
  const ordered = [...question.answers].sort(
    (a, b) => Number(b.key === question.prepared) - Number(a.key === question.prepared),
  );
  const picked = ordered[number - 1];
  if (picked) answer(at.value, picked.key, teach.value && Boolean(picked.habit));
}

useActions({
  next: () => void go(1),
  previous: () => void go(-1),
  prepared: () => byNumber(1),
  ...Object.fromEntries(
    [1, 2, 3, 4, 5, 6, 7, 8, 9].map((number) => [`answer${number}`, () => byNumber(number)]),
  ),
  teach: () => props.lead && (teach.value = !teach.value),
});
</script>

<template>
  <section aria-label="Open questions">
    <div class="head">
      <h2>
        {{ open.length ? 'Open questions' : 'No open questions' }}
        <span v-if="questions.data.value?.total" class="mono count">{{ questions.data.value.total }}</span>
      </h2>
      <div v-if="mayWork && open.length" class="all">
        <button
          v-if="kinds.length && kinds.length < (questions.data.value?.total ?? 0)"
          class="plain link soft"
          :disabled="busy"
          @click="
            run(
              settle.takeAll(
                kinds.map((entry) => entry.question.key),
                lead,
              ),
              `${kinds.length} settled as prepared.`,
            )
          "
        >
          Take the prepared answer for all {{ kinds.length }} of this kind
        </button>
        <Button
          :label="`Settle all ${questions.data.value?.total} as prepared`"
          severity="secondary"
          :disabled="busy"
          @click="run(settle.takeAll(null, lead), 'All settled as prepared.')"
        />
      </div>
    </div>
    <Trouble v-if="questions.isError.value" :error="questions.error.value" @again="questions.refetch()" />
    <div ref="list">
      <QuestionCard
        v-for="(entry, index) in open"
        :key="entry.question.key"
        v-model:teach="teach"
        v-model:picked="picked"
        :entry="entry"
        :chosen="index === at"
        :may-work="mayWork"
        :may-teach="lead"
        :busy="busy"
        @choose="at = index"
        @answer="(key, taught, holds) => answer(index, key, taught, holds)"
      />
    </div>
    <p v-if="questions.data.value && !open.length" class="soft none">
      Names and pixels agree, and nothing came twice. What the next files leave open will stand here.
    </p>
    <p v-if="questions.data.value && questions.data.value.total > open.length" class="soft none">
      {{ questions.data.value.total - open.length }} more follow when these are settled.
    </p>
    <div v-if="settled.length" class="settled">
      <div v-for="act in settled.slice(0, 5)" :key="act.act" class="act">
        <span class="verdigris" aria-hidden="true">✓</span>
        <span class="told">
          {{ act.text }} <strong>{{ act.answer }}</strong>
        </span>
        <span class="soft">{{ act.by }}</span>
        <button
          v-if="mayWork"
          class="plain link soft"
          :disabled="busy"
          @click="run(settle.undo(act.act), '')"
        >
          Undo
        </button>
      </div>
    </div>
  </section>
</template>

<style scoped>
.count {
  color: var(--ochre);
  margin-left: 6px;
}
.all {
  display: flex;
  gap: 16px;
  align-items: center;
}
.none {
  padding: 12px 8px;
}
.settled {
  margin-top: 10px;
}
.act {
  display: grid;
  grid-template-columns: 14px minmax(0, 1fr) auto auto;
  gap: 10px;
  padding: 5px 8px;
  border-bottom: 1px solid var(--rule);
}
.told {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.verdigris {
  color: var(--verdigris);
}
</style>
