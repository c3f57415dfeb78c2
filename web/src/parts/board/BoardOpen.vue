<script setup lang="ts">
// What is open in a project, worst first: questions, files of no set, names, and what was found in the sets.
import { computed, ref } from 'vue';
import { RouterLink } from 'vue-router';

import type { Board } from '@/api/client';

import StateGlyph from '@/parts/widgets/StateGlyph.vue';

const props = defineProps<{ board: Board; slug: string }>();
const emit = defineEmits<{ rule: [rule: string] }>();
const FEW = 3;
/** The line whose sets are all named, by its place. */
const unfolded = ref<number | null>(null);
const few = (index: number) => (unfolded.value === index ? 200 : FEW);
function rowOf(entry: { finding: { property?: string | null } }) {
  return { row: entry.finding.property ?? undefined };
}
const nothingOpen = computed(() => {
  const now = props.board;
  const judged = !now.findings.length && !now.project_findings.length && !now.names;
  return judged && !now.project.open_files && !now.project.questions;
});
</script>

<template>
  <aside class="open">
    <h2>Open, worst first</h2>
    <RouterLink v-if="board.project.questions" class="finding" :to="{ name: 'arrivals', params: { slug } }">
      <StateGlyph state="look" />
      <span>
        {{ board.project.questions }}
        {{ board.project.questions === 1 ? 'question is' : 'questions are' }} open
        <span class="soft way">{{
          board.project.questions === 1
            ? 'Settle it on the arrivals page; an answer is prepared.'
            : 'Settle them on the arrivals page; each has an answer prepared.'
        }}</span>
      </span>
    </RouterLink>
    <RouterLink v-if="board.project.open_files" class="finding" :to="{ name: 'arrivals', params: { slug } }">
      <StateGlyph state="look" />
      <span>
        {{ board.project.open_files }}
        {{ board.project.open_files === 1 ? 'file belongs' : 'files belong' }} to no set
        <span class="soft way">{{
          board.project.questions
            ? 'The questions ask about them.'
            : 'Assign them by hand, or set them aside.'
        }}</span>
      </span>
    </RouterLink>
    <RouterLink
      v-for="finding in board.project_findings"
      :key="finding.rule"
      class="finding"
      :to="{ name: 'rules', params: { slug } }"
    >
      <StateGlyph state="look" />
      <span>
        {{ finding.message }}
        <span class="soft way">{{ finding.way_out }}</span>
      </span>
    </RouterLink>
    <RouterLink v-if="board.names" class="finding" :to="{ name: 'renames', params: { slug } }">
      <StateGlyph state="look" />
      <span>
        {{ board.names }}
        {{ board.names === 1 ? 'name breaks' : 'names break' }} the house rules
        <span class="soft way">The rename plan puts them right, in one step that can be undone.</span>
      </span>
    </RouterLink>
    <component
      :is="finding.count > 1 ? 'div' : RouterLink"
      v-for="(finding, index) in board.findings"
      :key="index"
      class="finding"
      :to="{ name: 'set', params: { slug, id: finding.set_id }, query: rowOf(finding) }"
    >
      <StateGlyph :state="finding.finding.severity === 'error' ? 'wrong' : 'look'" />
      <span>
        <template v-if="finding.count > 1">
          {{ finding.finding.message }}
          <span class="soft way">
            In {{ finding.sets.length }} {{ finding.sets.length === 1 ? 'set' : 'sets' }}:
            <template v-for="(named, place) in finding.sets.slice(0, few(index))" :key="named.id"
              ><template v-if="place">, </template
              ><RouterLink
                class="named"
                :to="{ name: 'set', params: { slug, id: named.id }, query: rowOf(finding) }"
                @click.stop
                >{{ named.name }}</RouterLink
              ></template
            >{{ ' '
            }}<button
              v-if="finding.sets.length > FEW"
              type="button"
              class="plain link"
              @click.stop.prevent="unfolded = unfolded === index ? null : index"
            >
              {{ unfolded === index ? 'fewer' : `and ${finding.sets.length - FEW} more` }}
            </button>
            <button
              type="button"
              class="plain link show"
              @click.stop.prevent="emit('rule', finding.finding.rule)"
            >
              Show them on the board
            </button>
          </span>
        </template>
        <template v-else>{{ finding.set_name }}: {{ finding.finding.message }}</template>
        <span class="soft way">{{ finding.finding.way_out }}</span>
      </span>
    </component>
    <p v-if="nothingOpen" class="finding"><StateGlyph state="holds" /> <span>Nothing is open.</span></p>
  </aside>
</template>

<style scoped>
.open {
  width: 300px;
  flex: none;
  border-left: 1px solid var(--rule);
  padding: 24px 18px;
  overflow: auto;
}
.open h2 {
  padding-bottom: 8px;
}
.finding {
  display: flex;
  gap: 7px;
  padding: 10px 0;
  border-bottom: 1px solid var(--rule);
  overflow-wrap: anywhere;
}
.finding:hover span {
  color: var(--ink);
}
.finding > :first-child {
  flex: none;
  width: 10px;
}
.way {
  display: block;
}
.show {
  display: block;
}
.named {
  text-decoration: underline;
  text-decoration-color: var(--rule);
  text-underline-offset: 2px;
}
</style>
