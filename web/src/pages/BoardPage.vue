<script setup lang="ts">
// A project's home: what keeps us from delivering?
import Button from 'primevue/button';
import { computed, ref } from 'vue';
import { RouterLink, useRoute, useRouter } from 'vue-router';

import { useBoard, useMayWork } from '@/api/queries';
import { standingOf } from '@/lib/board';
import { bytesWords } from '@/lib/format';
import { useActions } from '@/lib/keys';
import StateGlyph from '@/parts/StateGlyph.vue';
import WholeName from '@/parts/WholeName.vue';

const route = useRoute();
const router = useRouter();
const slug = computed(() => String(route.params.slug));
const board = useBoard(slug);
const mayWork = useMayWork(slug);
const at = ref(0);
const FEW = 3;
/** The line whose sets are all named, by its place. */
const unfolded = ref<number | null>(null);
const few = (index: number) => (unfolded.value === index ? 200 : FEW);
function rowOf(entry: { finding: { property?: string | null } }) {
  return { row: entry.finding.property ?? undefined };
}

const sets = computed(() => board.data.value?.sets ?? []);
const counts = computed(() => {
  const found = { holds: 0, look: 0, wrong: 0 };
  for (const set of sets.value) found[standingOf(set)]++;
  return found;
});
const nothingOpen = computed(() => {
  const now = board.data.value;
  const judged = now && !now.findings.length && !now.project_findings.length && !now.names;
  return judged && !now.project.open_files && !now.project.questions;
});
const delivered = computed(() => sets.value.filter((set) => set.cells.delivered?.state === 'holds').length);

function open(id: number): void {
  void router.push({ name: 'set', params: { slug: slug.value, id } });
}
const table = ref<HTMLElement | null>(null);
function go(by: number): void {
  at.value = Math.max(0, Math.min(at.value + by, sets.value.length - 1));
  table.value?.querySelectorAll<HTMLElement>('[data-rove]')[at.value]?.focus();
}
useActions({
  next: () => go(1),
  previous: () => go(-1),
  open: () => {
    const set = sets.value[at.value];
    if (set) open(set.id);
  },
});
</script>

<template>
  <main v-if="board.data.value" class="board">
    <section v-keep-scroll class="main">
      <div class="top">
        <h1 v-term="'board'">What keeps us from delivering</h1>
        <p class="soft">
          {{ sets.length }} sets: {{ counts.holds }} hold, {{ counts.look }} to look at,
          {{ counts.wrong }} wrong; {{ delivered }} delivered<template v-if="board.data.value.memory"
            >; {{ bytesWords(board.data.value.memory) }} in the engine</template
          >
        </p>
      </div>
      <div v-if="sets.length" ref="table" v-rove class="table" role="grid" aria-label="Board">
        <div class="titles soft" role="row">
          <span role="columnheader">set, for its target</span>
          <span v-for="stage in board.data.value.stages" :key="stage" role="columnheader">{{ stage }}</span>
        </div>
        <div
          v-for="(set, index) in sets"
          :key="set.id"
          class="row"
          :class="{ at: index === at }"
          role="row"
          data-rove
          :aria-label="`${set.name}, for ${set.target}`"
          :aria-selected="index === at"
          @click="open(set.id)"
          @keydown.enter.self="open(set.id)"
          @focus="at = index"
          @mouseenter="at = index"
        >
          <span class="set" role="gridcell">
            <img
              v-if="set.picture"
              class="thumb"
              width="36"
              height="36"
              alt=""
              :src="`/api/files/${set.picture}/picture?size=small`"
            />
            <span v-else class="thumb hole" />
            <span class="named-for">
              <RouterLink
                class="title"
                tabindex="-1"
                :to="{ name: 'set', params: { slug, id: set.id } }"
                @click.stop
                ><WholeName :name="set.name"
              /></RouterLink>
              <span class="soft target">{{ set.target }}</span>
            </span>
            <RouterLink
              v-if="set.questions"
              class="asked mono"
              :title="`${set.questions} open question${set.questions === 1 ? '' : 's'}`"
              :to="{ name: 'arrivals', params: { slug } }"
              @click.stop
              >?{{ set.questions }}</RouterLink
            >
          </span>
          <span
            v-for="stage in board.data.value.stages"
            :key="stage"
            v-tooltip.top="set.cells[stage]?.first || undefined"
            role="gridcell"
            class="cell"
          >
            <StateGlyph :state="set.cells[stage]?.state ?? 'none'" />
            <span v-if="set.cells[stage]?.count" class="mono">{{ set.cells[stage]?.count }}</span>
          </span>
        </div>
      </div>
      <div v-else class="empty">
        <p>No set is here yet. Drop a folder of maps anywhere on this page, and they are sorted into sets.</p>
        <Button
          v-if="mayWork"
          label="Bring maps in"
          @click="router.push({ name: 'arrivals', params: { slug } })"
        />
      </div>
    </section>
    <aside class="open">
      <h2>Open, worst first</h2>
      <RouterLink
        v-if="board.data.value.project.questions"
        class="finding"
        :to="{ name: 'arrivals', params: { slug } }"
      >
        <StateGlyph state="look" />
        <span>
          {{ board.data.value.project.questions }}
          {{ board.data.value.project.questions === 1 ? 'question is' : 'questions are' }} open
          <span class="soft way">{{
            board.data.value.project.questions === 1
              ? 'Settle it on the arrivals page; an answer is prepared.'
              : 'Settle them on the arrivals page; each has an answer prepared.'
          }}</span>
        </span>
      </RouterLink>
      <RouterLink
        v-if="board.data.value.project.open_files"
        class="finding"
        :to="{ name: 'arrivals', params: { slug } }"
      >
        <StateGlyph state="look" />
        <span>
          {{ board.data.value.project.open_files }}
          {{ board.data.value.project.open_files === 1 ? 'file belongs' : 'files belong' }} to no set
          <span class="soft way">{{
            board.data.value.project.questions
              ? 'The questions ask about them.'
              : 'Assign them by hand, or set them aside.'
          }}</span>
        </span>
      </RouterLink>
      <RouterLink
        v-for="finding in board.data.value.project_findings"
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
      <RouterLink v-if="board.data.value.names" class="finding" :to="{ name: 'renames', params: { slug } }">
        <StateGlyph state="look" />
        <span>
          {{ board.data.value.names }}
          {{ board.data.value.names === 1 ? 'name breaks' : 'names break' }} the house rules
          <span class="soft way">The rename plan puts them right, in one step that can be undone.</span>
        </span>
      </RouterLink>
      <component
        :is="entry.count > 1 ? 'div' : RouterLink"
        v-for="(entry, index) in board.data.value.findings"
        :key="index"
        class="finding"
        :to="{ name: 'set', params: { slug, id: entry.set_id }, query: rowOf(entry) }"
      >
        <StateGlyph :state="entry.finding.severity === 'error' ? 'wrong' : 'look'" />
        <span>
          <template v-if="entry.count > 1">
            {{ entry.finding.message }}
            <span class="soft way">
              In {{ entry.sets.length }} sets:
              <template v-for="(named, place) in entry.sets.slice(0, few(index))" :key="named.id"
                ><template v-if="place">, </template
                ><RouterLink
                  class="named"
                  :to="{ name: 'set', params: { slug, id: named.id }, query: rowOf(entry) }"
                  @click.stop
                  >{{ named.name }}</RouterLink
                ></template
              ><button
                v-if="entry.sets.length > FEW"
                type="button"
                class="plain link"
                @click.stop.prevent="unfolded = unfolded === index ? null : index"
              >
                {{ unfolded === index ? ' fewer' : ` and ${entry.sets.length - FEW} more` }}
              </button>
            </span>
          </template>
          <template v-else>{{ entry.set_name }}: {{ entry.finding.message }}</template>
          <span class="soft way">{{ entry.finding.way_out }}</span>
        </span>
      </component>
      <p v-if="nothingOpen" class="finding"><StateGlyph state="holds" /> <span>Nothing is open.</span></p>
    </aside>
  </main>
</template>

<style scoped>
.asked {
  color: var(--ochre);
  font-weight: 600;
}
.board {
  flex: 1;
  display: flex;
  min-width: 0;
}
.main {
  flex: 1;
  min-width: 0;
  padding: 22px 20px 40px;
  overflow: auto;
}
.top {
  display: flex;
  gap: 14px;
  align-items: baseline;
  flex-wrap: wrap;
  margin-bottom: 26px;
}
.titles,
.row {
  display: grid;
  grid-template-columns: minmax(150px, 2.4fr) repeat(8, minmax(52px, 0.6fr));
  column-gap: 4px;
  align-items: center;
}
.titles {
  font-size: 12px;
  padding-bottom: 6px;
  border-bottom: 1px solid var(--ink);
}
.row {
  min-height: 47px;
  border-bottom: 1px solid var(--rule);
  cursor: pointer;
}
.at {
  background: var(--wash);
}
.set {
  display: flex;
  gap: 11px;
  align-items: center;
  font-weight: 650;
}
.named-for {
  display: grid;
  min-width: 0;
  padding: 5px 0;
}
.title {
  line-height: 1.2;
}
.target {
  font-weight: 400;
  font-size: 12px;
}
.hole {
  width: 36px;
  height: 36px;
}
.cell {
  display: flex;
  gap: 3px;
  align-items: center;
}
.cell .mono {
  line-height: 1;
}
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
.named {
  text-decoration: underline;
  text-decoration-color: var(--rule);
  text-underline-offset: 2px;
}
.empty {
  display: grid;
  gap: 14px;
  justify-items: start;
  max-width: 420px;
}
</style>
