<script setup lang="ts">
// The pages of a project by what they are about: the daily work as rows, the rest in groups that fold and stay as they were left.
import { reactive, watch } from 'vue';
import { useRoute } from 'vue-router';

defineProps<{
  slug: string;
  /** How many questions or files are open. */
  waiting: number;
}>();
interface Page {
  name: string;
  title: string;
  term?: string;
  /** Other pages that stand under it. */
  also?: readonly string[];
}
const WORK: readonly Page[] = [
  { name: 'board', title: 'Board', term: 'board' },
  { name: 'arrivals', title: 'Arrivals' },
  { name: 'maps', title: 'Maps' },
  { name: 'repack', title: 'Repack' },
  { name: 'models', title: 'Models', also: ['model'] },
  { name: 'deliveries', title: 'Deliveries', term: 'delivery' },
];
const GROUPS: readonly { title: string; pages: readonly Page[] }[] = [
  {
    title: 'Shared with the studio',
    pages: [
      { name: 'targets', title: 'Targets', term: 'target', also: ['target'] },
      { name: 'masters', title: 'Masters', term: 'master', also: ['master', 'sheet'] },
      { name: 'depot', title: 'Depot', term: 'depot' },
    ],
  },
  {
    title: 'Rules',
    pages: [
      { name: 'rules', title: 'House rules', also: ['renames'] },
      { name: 'checks', title: 'Checks' },
      { name: 'tolerances', title: 'Tolerances' },
    ],
  },
  {
    title: 'Project',
    pages: [
      { name: 'project', title: 'Project and people' },
      { name: 'record', title: 'Record' },
    ],
  },
];

const route = useRoute();
const here = ({ name, also = [] }: Page) => route.name === name || also.includes(String(route.name));
const KEPT = 'fairtexel.pages.folded';
const folded = reactive(new Set((localStorage.getItem(KEPT) ?? '').split(',')));
watch(folded, () => localStorage.setItem(KEPT, [...folded].filter(Boolean).join(',')));
function fold(title: string): void {
  if (!folded.delete(title)) folded.add(title);
}
/** The page that is open stands in its group, folded or not. */
const shown = (title: string, pages: readonly Page[]) => (folded.has(title) ? pages.filter(here) : pages);
</script>

<template>
  <div class="pages">
    <RouterLink
      v-for="page in WORK"
      :key="page.name"
      v-term="page.term"
      class="item row"
      :class="{ here: here(page) }"
      :to="{ name: page.name, params: { slug } }"
    >
      {{ page.title }}
      <span v-if="page.name === 'arrivals' && waiting" class="count mono" :title="`${waiting} open`">{{
        waiting
      }}</span>
    </RouterLink>
    <div v-for="{ title, pages } in GROUPS" :key="title" class="group" role="group" :aria-label="title">
      <button type="button" class="plain title" :aria-expanded="!folded.has(title)" @click="fold(title)">
        <span class="sign" aria-hidden="true">{{ folded.has(title) ? '+' : '–' }}</span>{{ title }}
      </button>
      <div v-if="shown(title, pages).length" class="flow">
        <RouterLink
          v-for="page in shown(title, pages)"
          :key="page.name"
          v-term="page.term"
          class="item"
          :class="{ here: here(page) }"
          :to="{ name: page.name, params: { slug } }"
          >{{ page.title }}</RouterLink
        >
      </div>
    </div>
  </div>
</template>

<style scoped>
.pages {
  flex: none;
}
.item {
  display: flex;
  justify-content: space-between;
  align-items: center;
  gap: 6px;
  min-height: 25px;
  color: var(--soft);
}
.item:hover {
  color: var(--ink);
}
.item:focus-visible {
  outline-offset: -2px;
}
.row {
  padding: 0 12px 0 14px;
  border-left: 3px solid transparent;
}
.here {
  color: var(--ink);
  font-weight: 650;
}
.row.here {
  border-left-color: var(--madder);
}
.group {
  padding: 4px 8px 0 17px;
}
.title {
  display: flex;
  gap: 5px;
  align-items: center;
  width: 100%;
  min-height: 20px;
  color: var(--faint);
  font-size: 12px;
  text-align: left;
}
.title:hover {
  color: var(--ink);
}
.sign {
  width: 8px;
}
.flow {
  display: flex;
  flex-wrap: wrap;
  gap: 0 10px;
}
.flow .item {
  min-height: 22px;
}
.flow .here {
  box-shadow: inset 0 -2px var(--madder);
}
.count {
  color: var(--ochre);
}
</style>
