<script setup lang="ts">
// The way through a new project in five steps, each ticked as it is done. It stands on a board that was seen empty, and is gone for
// good once a delivery was made, or when it is put away.
import { computed, ref, watch } from 'vue';

import type { Board } from '@/api/client';

import StateGlyph from '@/parts/widgets/StateGlyph.vue';

const props = defineProps<{ slug: string; board: Board }>();
const key = computed(() => `fairtexel.first-steps.${props.slug}`);
/** "open" from the first look at an empty board on, "gone" for good. */
const stands = ref('');
const sets = computed(() => props.board.sets);
const some = (stage: string) =>
  sets.value.some(({ cells }) => ['holds', 'look'].includes(cells[stage]?.state ?? ''));
const steps = computed(() => [
  {
    done: sets.value.length > 0,
    title: 'Bring maps in',
    how: 'Drop files or a whole folder anywhere on this page. They are sorted into sets by their names and their pixels.',
    to: 'arrivals',
    act: 'Arrivals',
  },
  {
    done:
      sets.value.length > 0 && props.board.project.questions === 0 && props.board.project.open_files === 0,
    title: 'Settle what is open',
    how: 'What names and pixels leave open is asked, with an answer prepared; one answer settles all files that end alike.',
    to: 'arrivals',
    act: 'Open questions',
  },
  {
    done: sets.value.some(({ proved }) => proved),
    title: 'Build and prove',
    how: `Choose sets on the board and press Prove: their outputs for ${props.board.target.title} are made, compressed and measured.`,
    to: '',
    act: '',
  },
  {
    done: some('dressed'),
    title: 'Look at them in light',
    how: 'Dress a set with a master of the studio, and turn it in the light of four places.',
    to: 'masters',
    act: 'Masters',
  },
  {
    done: some('delivered'),
    title: 'Deliver',
    how: 'What is proved is written out for the engine, and the receiving side answers with a receipt.',
    to: 'deliveries',
    act: 'Deliveries',
  },
]);
watch(
  [key, () => sets.value.length, () => some('delivered')],
  ([name, count, delivered]) => {
    stands.value = localStorage.getItem(name) ?? (count ? '' : 'open');
    if (delivered && stands.value === 'open') stands.value = 'gone';
    if (stands.value) localStorage.setItem(name, stands.value);
  },
  { immediate: true },
);
function putAway(): void {
  stands.value = 'gone';
  localStorage.setItem(key.value, 'gone');
}
</script>

<template>
  <section v-if="stands === 'open'" class="steps" aria-label="The way through a project">
    <ol>
      <li v-for="(step, at) in steps" :key="step.title" :class="{ done: step.done }">
        <span class="number mono"
          ><StateGlyph v-if="step.done" state="holds" /><template v-else>{{ at + 1 }}</template></span
        >
        <div>
          <strong>{{ step.title }}</strong>
          <p class="soft">
            {{ step.how }}
            <RouterLink v-if="step.to && !step.done" class="link" :to="{ name: step.to, params: { slug } }">{{
              step.act
            }}</RouterLink>
          </p>
        </div>
      </li>
    </ol>
    <button v-if="sets.length" class="plain link soft" @click="putAway">Put these steps away</button>
  </section>
</template>

<style scoped>
.steps {
  max-width: 620px;
  padding: 10px 0 18px;
}
ol {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: 26px 1fr;
  padding: 9px 0;
  border-bottom: 1px solid var(--rule);
}
.number {
  color: var(--faint);
}
.done strong {
  font-weight: 400;
  color: var(--soft);
}
.done p {
  display: none;
}
.link {
  margin-left: 4px;
}
</style>
