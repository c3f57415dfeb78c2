<script setup lang="ts">
// The parts of a set's page with how each stands: it stays in sight, and leads to each.
import { computed, onBeforeUnmount, onMounted, ref } from 'vue';

import type { SetView } from '@/api/client';
import { focusOn } from '@/lib/page/focus';

import StateGlyph from '@/parts/widgets/StateGlyph.vue';

const props = defineProps<{ view: SetView; notes: number }>();
type State = 'holds' | 'look' | 'wrong' | 'none';
interface Part {
  /** The label of the section that it leads to. */
  section: string;
  text: string;
  state: State;
  says: string;
}
const strip = ref<HTMLElement | null>(null);
const here = ref('Ledger');

const some = (count: number, what: string) => `${count} ${what}${count === 1 ? '' : 's'}`;

const parts = computed<Part[]>(() => {
  const { findings, build, proved, variants, origin, lines, files } = props.view;
  const errors = findings.filter((finding) => finding.severity === 'error').length;
  const warnings = findings.filter((finding) => finding.severity === 'warning').length;
  const behind = variants.filter((variant) => variant.version < variant.latest).length;
  const rows = lines.filter((line) => line.row).length;
  return [
    {
      section: 'Ledger',
      text: `Ledger ${rows}`,
      state: rows ? 'holds' : 'look',
      says: `${some(rows, 'row')} filled`,
    },
    {
      section: 'Findings',
      text: `Findings${errors + warnings ? ` ${errors + warnings}` : ''}`,
      state: errors ? 'wrong' : warnings ? 'look' : 'holds',
      says: `${some(errors, 'error')}, ${some(warnings, 'warning')}`,
    },
    {
      section: 'Outputs',
      text: 'Outputs',
      state: build ? (build.current ? 'holds' : 'look') : 'none',
      says: build ? (build.current ? 'current' : 'built before the last change') : 'not built yet',
    },
    ...(build
      ? [
          {
            section: 'Proofs',
            text: 'Proofs',
            state: proved ? ('holds' as const) : ('look' as const),
            says: proved ? 'up to date' : 'compression results are out of date',
          },
        ]
      : []),
    {
      section: 'Variants',
      text: `Variants${variants.length ? ` ${variants.length}` : ''}`,
      state: behind ? 'look' : variants.length ? 'holds' : 'none',
      says: behind ? `${behind} behind the newest version` : variants.length ? 'up to date' : 'none yet',
    },
    {
      section: 'Notes',
      text: `Notes${props.notes ? ` ${props.notes}` : ''}`,
      state: 'none',
      says: some(props.notes, 'note'),
    },
    {
      section: 'Origin',
      text: 'Origin',
      state: origin ? 'holds' : 'none',
      says: origin ? 'written down' : 'not written down',
    },
    { section: 'Files', text: `Files ${files.length}`, state: 'none', says: some(files.length, 'file') },
  ];
});
const QUIET = ['Notes', 'Files'];
/** Milliseconds for which the page scrolls to where somebody was led. */
const STILL = 400;
let went = -STILL;

function sectionOf(label: string): HTMLElement | null {
  return strip.value?.parentElement?.querySelector(`[aria-label="${label}"]`) ?? null;
}
function go(part: Part): void {
  const section = sectionOf(part.section);
  here.value = part.section;
  went = performance.now();
  section?.scrollIntoView({ block: 'start' });
  focusOn(section);
}
/** The last part that begins above the middle of the page is where somebody is. */
function look(): void {
  const page = strip.value?.parentElement;
  // Where somebody was just led to is where they are, however little of the page is left below.
  if (!page || performance.now() - went < STILL) return;
  const middle = page.getBoundingClientRect().top + page.clientHeight * 0.4;
  const reached = parts.value.filter((part) => {
    const top = sectionOf(part.section)?.getBoundingClientRect().top;
    return top !== undefined && top < middle;
  });
  const end = page.scrollTop + page.clientHeight >= page.scrollHeight - 4;
  here.value = (end ? parts.value : reached).at(-1)?.section ?? 'Ledger';
}
let page: HTMLElement | null = null;
onMounted(() => {
  page = strip.value?.parentElement ?? null;
  page?.addEventListener('scroll', look, { passive: true });
});
onBeforeUnmount(() => page?.removeEventListener('scroll', look));
</script>

<template>
  <nav ref="strip" v-rove data-across class="parts" aria-label="Parts of this page">
    <button
      v-for="part in parts"
      :key="part.section"
      type="button"
      data-rove
      class="plain part"
      :class="{ here: here === part.section }"
      :aria-current="here === part.section ? 'location' : undefined"
      :title="part.says"
      @click="go(part)"
    >
      <StateGlyph v-if="!QUIET.includes(part.section)" :state="part.state" :label="part.says" />{{
        part.text
      }}
    </button>
  </nav>
</template>

<style scoped>
.parts {
  position: sticky;
  /* The page has air above it. */
  top: -16px;
  z-index: 5;
  display: flex;
  flex-wrap: wrap;
  gap: 2px 14px;
  padding: 6px 0;
  margin-bottom: 12px;
  background: var(--paper);
  border-bottom: 1px solid var(--rule);
}
.part {
  color: var(--soft);
  white-space: nowrap;
}
.part:hover,
.here {
  color: var(--ink);
}
.here {
  font-weight: 650;
}
</style>
