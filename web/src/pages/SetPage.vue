<script setup lang="ts">
// A set's ledger, with the picture well beside it.
import { computed, nextTick, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';

import type { Assignment, Finding, LineView } from '@/api/client';
import type { SetChange } from '@/api/changes';
import { useNotes } from '@/lib/page/many';
import { isOpen, useBoard, useBuild, useMayWork, useProve, useSet } from '@/api/queries';
import { assignmentOf, type Carried } from '@/parts/set/channels';
import { useAddress } from '@/lib/page/address';
import { useEditing } from '@/lib/page/edits';
import { PASS, useActions } from '@/lib/page/keys';
import { ofLit, VIEWS } from '@/lib/pictures/pictures';
import { useSay } from '@/lib/page/say';
import { useShownPicture } from '@/parts/set/shownpicture';
import FileShelf, { type Shelved } from '@/parts/set/FileShelf.vue';
import FindingsList from '@/parts/widgets/FindingsList.vue';
import LedgerTable from '@/parts/set/LedgerTable.vue';
import JobLine from '@/parts/set/JobLine.vue';
import NamedTitle from '@/parts/widgets/NamedTitle.vue';
import NotesPart from '@/parts/set/NotesPart.vue';
import OriginPart from '@/parts/set/OriginPart.vue';
import OutputsTable from '@/parts/set/OutputsTable.vue';
import PictureWell from '@/parts/set/PictureWell.vue';
import ProofTable from '@/parts/set/ProofTable.vue';
import RowEditor from '@/parts/set/RowEditor.vue';
import SetActs from '@/parts/set/SetActs.vue';
import SetShape from '@/parts/set/SetShape.vue';
import SetStrip from '@/parts/set/SetStrip.vue';
import VariantsPart from '@/parts/set/VariantsPart.vue';
import Trouble from '@/parts/widgets/Trouble.vue';

const route = useRoute();
const router = useRouter();
const slug = computed(() => String(route.params.slug));
// The page is made anew for each id; while it is left, the address is already another page's.
const id = ref(Number(route.params.id));
const set = useSet(id);
const view = computed(() => set.data.value);
const { edits, changeSet } = useEditing();
const build = useBuild(id, slug);
const prove = useProve(
  computed(() => [id.value]),
  slug,
);
const notes = useNotes(id);
const board = useBoard(slug);
const mayWork = useMayWork(slug);
const say = useSay();

/** The set as the board has it: with its folder and tags. */
const onBoard = computed(() => board.data.value?.sets.find((set) => set.id === id.value));
const place = computed(() => board.data.value?.folders.find(({ id: key }) => key === onBoard.value?.folder));
const tags = computed(() => onBoard.value?.tags ?? []);

const chosen = useAddress('row', 'base_colour');
// Of what is no surface, what it has is looked at first.
watch(view, (now, before) => {
  const filled = now?.lines.find(({ row }) => row)?.property;
  if (now && !before && !now.surface && filled && chosen.value === 'base_colour') chosen.value = filled;
});
/** A mask that is given another name stays the chosen row under it, once it is there. */
let called = '';
watch(view, (now) => {
  if (!called || !now?.lines.some(({ row, property }) => row && property === called)) return;
  chosen.value = called;
});
// Who has gone on to another row stays there.
watch(chosen, () => (called = ''), { flush: 'sync' });
const lit = ref<string | null>(null);
const litFile = ref<number | null>(null);
const full = useAddress('full', false);
const wide = useAddress('wide', false);
const inLight = computed(() => {
  const stamp = onBoard.value?.picture;
  return view.value && stamp ? ofLit(view.value, stamp) : null;
});
const named = ['row', 'channel', 'side', 'blocks'].some((key) => key in route.query);
const well = useShownPicture(
  view,
  chosen,
  {
    channel: useAddress('channel', ''),
    side: useAddress<'source' | 'output'>('side', 'source', ['source', 'output']),
    blocks: useAddress('blocks', false),
  },
  inLight,
  !named,
);
const { line, outputOfLine, blocks, shown, picked, asBlocks, side, channels, level, levels } = well;

const litOutputs = computed(() => {
  const entry = view.value?.lines.find((other) => other.property === lit.value);
  return entry?.to.map((goes) => goes.file_name) ?? [];
});
const litSource = computed(
  () => litFile.value ?? view.value?.lines.find((line) => line.property === lit.value)?.file?.id ?? null,
);
const blocked = computed(() =>
  view.value?.findings.find((finding) => finding.severity === 'error' && finding.stage !== 'proved'),
);
const building = computed(() => isOpen(view.value?.job));
const shelved = computed<Shelved[]>(() => {
  if (!view.value) return [];
  const why = new Map(view.value.left_out.map((entry) => [entry.file, `left out: ${entry.why}`]));
  const own = view.value.files.map((file) => ({ file, note: why.get(String(file.id)) ?? '' }));
  return [...own, ...view.value.open_files.map((file) => ({ file, note: 'of no set' }))];
});

/** The chosen row's map, or what the well shows of it. */
const closely = computed(() => {
  const seen = shown.value;
  return seen && (seen.kind === 'files' || seen.kind === 'outputs') ? { a: `${seen.kind}-${seen.id}` } : {};
});

/** What a proof measured beyond a limit, as a picture of that mip. */
function showDifference(finding: Finding): void {
  const planned = view.value?.planned.find(({ file_name: name }) => name === finding.subject);
  if (planned) well.lookAtDifference(planned, finding.level ?? 0);
}
function startProof(): void {
  if (!view.value || building.value || blocked.value || !mayWork.value) return;
  prove.mutate(view.value.target.name, { onError: say.wrong });
}
function change(what: string, made: SetChange): void {
  void changeSet(id.value, `${what} (${view.value?.name ?? ''})`, made);
}
function titleOf(property: string): string {
  return view.value?.lines.find((line) => line.property === property)?.title ?? property;
}
function assign(property: string, body: Assignment): void {
  const file = shelved.value.find((shelf) => shelf.file.id === body.file)?.file.name ?? 'a file';
  change(`${titleOf(property)} from ${file}`, { kind: 'assign', property, body });
}
function call(mask: LineView, name: string): void {
  change(`${mask.title} is called ${name}`, { kind: 'call', property: mask.property, name });
  called = `mask.${name}`;
}
/** How a row is read once what waits is saved; undefined where nothing waits about it. */
const waitingRow = computed(() => {
  const waits = edits.about(`set/${id.value}`).map((edit) => edit.change as SetChange);
  const last = waits.findLast((entry) => 'property' in entry && entry.property === chosen.value);
  return last?.kind === 'assign' ? last.body : undefined;
});
const target = computed(() => {
  const waits = edits.about(`set/${id.value}`).map((edit) => edit.change as SetChange);
  const last = waits.findLast((entry) => entry.kind === 'describe' && entry.target !== undefined);
  return last?.kind === 'describe' ? last.target : undefined;
});
function fill(property: string, carried: Carried): void {
  const entry = view.value?.lines.find((other) => other.property === property);
  const file = shelved.value.find((shelf) => shelf.file.id === carried.file)?.file;
  if (!entry || !file) return;
  chosen.value = property;
  assign(property, assignmentOf(file, entry.components, carried.channel));
}
function startBuild(): void {
  if (!view.value || building.value || blocked.value || !mayWork.value) return;
  build.mutate(view.value.target.name, { onError: say.wrong });
}
function move(by: number): void {
  const lines = view.value?.lines ?? [];
  const at = lines.findIndex((line) => line.property === chosen.value);
  chosen.value = lines[Math.min(Math.max(at + by, 0), lines.length - 1)]?.property ?? chosen.value;
  void nextTick(() => {
    const row = document.querySelector<HTMLElement>(`[data-property="${chosen.value}"]`);
    row?.scrollIntoView({ block: 'nearest' });
    row?.focus({ preventScroll: true });
  });
}
function deliver(): void {
  void router.push({ name: 'deliveries', params: { slug: slug.value }, query: { set: id.value } });
}
function rename(name: string): void {
  change(`Renamed to ${name}`, { kind: 'describe', name });
}

// A set that is reached through another project's address is shown at its own.
watch(
  () => view.value?.project,
  (own) =>
    own && own !== slug.value && void router.replace({ name: 'set', params: { slug: own, id: id.value } }),
  { immediate: true },
);

useActions({
  next: () => move(1),
  previous: () => move(-1),
  swapWell: well.swap,
  full: () => (full.value = !full.value),
  widen: () => (wide.value = !wide.value),
  back: () => (wide.value ? ((wide.value = false), true) : PASS),
  build: startBuild,
  prove: startProof,
  deliver: () => view.value?.proved && deliver(),
  closely: () =>
    router.push({ name: 'look', params: { slug: slug.value, id: id.value }, query: closely.value }),
  blocks: () => blocks.value && (asBlocks.value = !asBlocks.value),
  ...Object.fromEntries(VIEWS.map((entry, index) => [`view${index + 1}`, () => well.showChannel(entry)])),
});
</script>

<template>
  <Trouble v-if="set.isError.value && !view" :error="set.error.value" @again="set.refetch()" />
  <main v-else-if="view" class="set" :class="{ wide }">
    <section v-show="!wide" v-keep-scroll class="main">
      <header class="top">
        <div class="title">
          <NamedTitle :name="view.name" label="Name of the set" :may-work="mayWork" @rename="rename" />
          <p class="soft">
            {{ view.files.length }} {{ view.files.length === 1 ? 'file' : 'files' }} ·
            <RouterLink class="link" :to="{ name: 'look', params: { slug, id }, query: closely }"
              >Look closely</RouterLink
            >
            <template v-if="place">
              · in
              <RouterLink
                class="link"
                :to="{ name: 'board', params: { slug }, query: { folder: place.id } }"
                >{{ place.path }}</RouterLink
              >
            </template>
            <template v-for="tag in tags" :key="tag">
              ·
              <RouterLink class="link" :to="{ name: 'board', params: { slug }, query: { tag } }">{{
                tag
              }}</RouterLink>
            </template>
            ·
            <RouterLink class="link" :to="{ name: 'record', params: { slug }, query: { set: id } }"
              >Record</RouterLink
            >
          </p>
        </div>
        <SetActs
          :view="view"
          :may-work="mayWork"
          :blocked="blocked"
          :busy="building"
          :waiting-target="target"
          @target="change('Target chosen', { kind: 'describe', target: $event })"
          @build="startBuild"
          @prove="startProof"
          @deliver="deliver"
        />
      </header>

      <SetStrip :view="view" :notes="notes.data.value?.length ?? 0" />

      <p v-if="!view.surface" class="soft helper">
        No surface of its own: masters read its masks and details beside one, and a target asks only for what
        it has.
      </p>

      <JobLine v-if="view.job" :job="view.job" :slug="slug" :may-work="mayWork" />

      <section aria-label="Ledger">
        <LedgerTable
          v-model:chosen="chosen"
          v-model:lit="lit"
          :lines="view.lines"
          :findings="view.findings"
          :may-work="mayWork"
          @fill="fill"
          @click="well.show()"
        />
      </section>

      <section class="part" aria-label="Findings">
        <div class="head"><h2 v-term="'finding'">Findings</h2></div>
        <FindingsList
          :findings="view.findings"
          :lit="lit"
          @choose="chosen = $event"
          @difference="showDifference"
        />
      </section>

      <section class="part" aria-label="Outputs">
        <div class="head">
          <h2 v-term="'output'">
            Outputs
            <span v-if="view.build && !view.build.current" class="stale">◆ built before the last change</span>
            <span v-else-if="view.build" class="current">✓ current</span>
          </h2>
          <span v-if="view.build" class="gets">
            <a class="link" :href="`/api/builds/${view.build.id}/manifest`">Manifest</a>
            <a class="link" :href="`/api/builds/${view.build.id}/zip`">Download all</a>
          </span>
        </div>
        <OutputsTable :view="view" :lit="litOutputs" @look="well.lookAtOutput" />
      </section>

      <section v-if="view.build" class="part" aria-label="Proofs">
        <div class="head">
          <h2 v-term="'proof'">
            Proofs
            <span v-if="view.proved" class="current">✓ up to date</span>
            <span v-else class="stale">◆ compression results are out of date</span>
          </h2>
          <RouterLink class="link soft" :to="{ name: 'tolerances', params: { slug } }"
            >House tolerances</RouterLink
          >
        </div>
        <ProofTable
          :view="view"
          :lit="litOutputs"
          :may-work="mayWork"
          @look="well.lookAtOutput"
          @blocks="well.lookAtBlocks"
          @difference="well.lookAtDifference"
          @store="(output, storage) => change(`Storage of ${output}`, { kind: 'store', output, storage })"
        />
      </section>

      <VariantsPart :view="view" :slug="slug" :may-work="mayWork" />

      <NotesPart :id="id" :may-work="mayWork" />

      <OriginPart :view="view" :may-work="mayWork" />

      <section class="part" aria-label="Files">
        <div class="head">
          <h2>Files</h2>
          <span v-if="mayWork" class="soft">drag a file or one channel onto a row</span>
        </div>
        <FileShelf
          :shelved="shelved"
          :lit="litSource"
          :may-work="mayWork"
          @look="well.lookAt"
          @hover="litFile = $event"
        />
      </section>
      <SetShape
        v-if="mayWork"
        :view="view"
        :slug="slug"
        @surface="change($event ? 'A surface' : 'No surface', { kind: 'describe', surface: $event })"
      />
    </section>

    <aside class="side">
      <PictureWell
        v-model:full="full"
        :view="channels"
        :lit="inLight !== null"
        :turn="{ name: 'look', params: { slug, id }, query: { lit: 'yes' } }"
        :subject="shown"
        :blocks="blocks"
        :wide="wide"
        :side="side"
        :swappable="!picked && !!outputOfLine"
        :level="level"
        :levels="levels"
        @update:view="well.showChannel"
        @lit="well.showLit"
        @level="well.lookAtLevel"
        @widen="wide = !wide"
        @swap="well.swap"
        @blocks="asBlocks = !asBlocks"
      />
      <RowEditor
        v-if="line && !wide"
        :line="line"
        :files="view.files"
        :open-files="view.open_files"
        :may-work="mayWork"
        :waiting="waitingRow"
        @assign="assign(line.property, $event)"
        @clear="change(`${line.title} cleared`, { kind: 'clear', property: line.property })"
        @call="call(line, $event)"
      />
    </aside>
  </main>
</template>

<style scoped>
.helper {
  padding: 10px 0 4px;
}
.set {
  flex: 1;
  display: flex;
  min-width: 0;
}
.main {
  flex: 1;
  min-width: 0;
  padding: 16px 16px 48px 20px;
  overflow: auto;
}
.top {
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  gap: 8px 14px;
  align-items: center;
  margin-bottom: 16px;
  min-height: 30px;
}
.title {
  min-width: 0;
}
.part {
  margin-top: 28px;
}
.gets {
  display: flex;
  gap: 16px;
}
.stale,
.current {
  font-weight: 500;
  margin-left: 8px;
}
.stale {
  color: var(--ochre);
}
.current {
  color: var(--verdigris);
}
.side {
  width: var(--side);
  flex: none;
  border-left: 1px solid var(--rule);
  overflow: auto;
  display: flex;
  flex-direction: column;
}
.wide .side {
  width: auto;
  flex: 1;
  border: 0;
}
.wide .side > :first-child {
  flex: 1;
  padding-bottom: 8px;
}
</style>
