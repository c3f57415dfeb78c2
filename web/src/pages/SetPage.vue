<script setup lang="ts">
// A set's ledger, with the picture well beside it.
import Button from 'primevue/button';
import Select from 'primevue/select';
import { computed, nextTick, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';

import { api, take, type Assignment, type ChannelName, type FileView, type OutputView } from '@/api/client';
import {
  isOpen,
  useBuild,
  useJobControl,
  useMasters,
  useMayWork,
  useProve,
  useRefresh,
  useSet,
  useSetChange,
} from '@/api/queries';
import { assignmentOf, type Carried } from '@/lib/channels';
import { ddsUrl } from '@/lib/dds';
import { useAsk } from '@/lib/ask';
import { useKeys } from '@/lib/keys';
import { VIEWS, ofFile, ofOutput, viewOfChannels, viewOfLine, type Subject, type View } from '@/lib/pictures';
import { useSay } from '@/lib/say';
import FileShelf, { type Shelved } from '@/parts/FileShelf.vue';
import FindingsList from '@/parts/FindingsList.vue';
import LedgerTable from '@/parts/LedgerTable.vue';
import Meter from '@/parts/Meter.vue';
import NamedTitle from '@/parts/NamedTitle.vue';
import OriginPart from '@/parts/OriginPart.vue';
import OutputsTable from '@/parts/OutputsTable.vue';
import PictureWell, { type Blocks } from '@/parts/PictureWell.vue';
import ProofTable from '@/parts/ProofTable.vue';
import RowEditor from '@/parts/RowEditor.vue';
import Trouble from '@/parts/Trouble.vue';

const route = useRoute();
const router = useRouter();
const ask = useAsk();
const slug = computed(() => String(route.params.slug));
// The page is made anew for each id; while it is left, the address is already another page's.
const id = ref(Number(route.params.id));
const set = useSet(id);
const view = computed(() => set.data.value);
const change = useSetChange(id, slug);
const build = useBuild(id, slug);
const prove = useProve(id, slug);
const masters = useMasters();
const { cancel, retry } = useJobControl(slug);
const refresh = useRefresh(slug);
const mayWork = useMayWork(slug);
const say = useSay();

const chosen = ref(typeof route.query.row === 'string' ? route.query.row : 'base_colour');
const lit = ref<string | null>(null);
const litFile = ref<number | null>(null);
/** What was picked from the shelf or the outputs; null shows the chosen row. */
const picked = ref<Subject | null>(null);
const asBlocks = ref(false);
const side = ref<'source' | 'output'>('source');
const channels = ref<View>('RGB');
const full = ref(false);
const wide = ref(false);

const line = computed(() => view.value?.lines.find((entry) => entry.property === chosen.value));
const outputOfLine = computed(() => {
  const goes = line.value?.to[0];
  return view.value?.build?.outputs.find((output) => output.file_name === goes?.file_name);
});
const subject = computed<Subject | null>(() => {
  if (picked.value) return picked.value;
  if (side.value === 'output' && outputOfLine.value) return ofOutput(outputOfLine.value);
  return line.value?.file ? ofFile(line.value.file) : null;
});
/** The output whose picture or blocks the well shows. */
const outputShown = computed(() => {
  if (picked.value?.kind === 'outputs') {
    return view.value?.build?.outputs.find((output) => output.id === picked.value?.id);
  }
  return picked.value ? undefined : outputOfLine.value;
});
const blocks = computed<Blocks | null>(() => {
  const planned = view.value?.planned.find((entry) => entry.file_name === outputShown.value?.file_name);
  if (!view.value || !planned?.proof) return null;
  const { figures, sha256 } = planned.proof;
  return {
    url: ddsUrl(view.value.id, planned.key, sha256),
    title: planned.storage.format.toUpperCase(),
    shown: asBlocks.value,
    colour: (figures.colours?.length ?? 0) > 0,
    rebuild: figures.normal != null && ['bc5'].includes(planned.storage.format),
    grey: planned.channels === 'Y',
  };
});
const shownSubject = computed(() => {
  const output = outputShown.value;
  return blocks.value?.shown && output ? ofOutput(output) : subject.value;
});
const litOutputs = computed(() => {
  const entry = view.value?.lines.find((other) => other.property === lit.value);
  return entry?.to.map((goes) => goes.file_name) ?? [];
});
const litSource = computed(
  () => litFile.value ?? view.value?.lines.find((entry) => entry.property === lit.value)?.file?.id ?? null,
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

watch(chosen, () => show());
watch(
  () => line.value?.row,
  () => show(),
);
function show(): void {
  picked.value = null;
  if (!line.value) return;
  const goes = side.value === 'output' && outputOfLine.value ? line.value.to[0] : undefined;
  channels.value = goes ? viewOfChannels([...goes.channels] as ChannelName[]) : viewOfLine(line.value);
}
function swap(): void {
  if (!outputOfLine.value && side.value === 'source') return;
  side.value = side.value === 'source' ? 'output' : 'source';
  show();
}
function lookAt(file: FileView, channel: ChannelName | null): void {
  picked.value = ofFile(file);
  channels.value = channel ? viewOfChannels([channel]) : 'RGB';
}
function lookAtOutput(output: OutputView): void {
  asBlocks.value = false;
  picked.value = ofOutput(output);
  channels.value = 'RGB';
}
function lookAtBlocks(output: OutputView): void {
  lookAtOutput(output);
  asBlocks.value = true;
}
function lookAtDifference(difference: Subject): void {
  picked.value = difference;
  channels.value = 'RGB';
}
function startProof(): void {
  if (!view.value || building.value || blocked.value || !mayWork.value) return;
  prove.mutate(view.value.target.name, { onError: say.wrong });
}
function dress(): void {
  const master = masters.data.value?.[0];
  if (!master) return;
  take(
    api.POST('/api/sets/{set_id}/variants', {
      params: { path: { set_id: id.value } },
      body: { master: master.name, name: '' },
    }),
  )
    .then((made) => router.push({ name: 'variant', params: { slug: slug.value, id: made.id } }))
    .then(() => refresh())
    .catch(say.wrong);
}
function assign(property: string, body: Assignment): void {
  change.mutate({ kind: 'assign', property, body }, { onError: say.wrong });
}
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
const undoTitle = computed(() => {
  if (view.value?.undo) return `Undo: ${view.value.undo}`;
  return view.value?.last ? `The last step is not yours to undo (${view.value.last}).` : 'Nothing to undo';
});
function step(kind: 'undo' | 'redo'): void {
  if (mayWork.value && view.value?.[kind]) change.mutate({ kind }, { onError: say.wrong });
}
function move(by: number): void {
  const lines = view.value?.lines ?? [];
  const at = lines.findIndex((entry) => entry.property === chosen.value);
  chosen.value = lines[Math.min(Math.max(at + by, 0), lines.length - 1)]?.property ?? chosen.value;
  void nextTick(() =>
    document.querySelector(`[data-property="${chosen.value}"]`)?.scrollIntoView({ block: 'nearest' }),
  );
}
function rename(name: string): void {
  change.mutate({ kind: 'change', name }, { onError: say.wrong, onSuccess: () => refresh() });
}

function remove(): void {
  const name = view.value?.name ?? '';
  ask(
    `Remove ${name}?`,
    'Its ledger and builds go; this cannot be undone. Its files stay, in Arrivals.',
    'Remove',
    () => {
      take(api.DELETE('/api/sets/{set_id}', { params: { path: { set_id: id.value } } }))
        .then(() => router.push({ name: 'board', params: { slug: slug.value } }))
        .then(() => refresh())
        .catch(say.wrong);
    },
  );
}
// A set that is reached through another project's address is shown at its own.
watch(
  () => view.value?.project,
  (own) =>
    own && own !== slug.value && void router.replace({ name: 'set', params: { slug: own, id: id.value } }),
  { immediate: true },
);

useKeys({
  j: () => move(1),
  k: () => move(-1),
  ArrowDown: () => move(1),
  ArrowUp: () => move(-1),
  ' ': swap,
  z: () => (full.value = !full.value),
  w: () => (wide.value = !wide.value),
  Escape: () => (wide.value = false),
  b: startBuild,
  p: startProof,
  e: () => blocks.value && (asBlocks.value = !asBlocks.value),
  u: () => step('undo'),
  U: () => step('redo'),
  ...Object.fromEntries(VIEWS.map((entry, index) => [String(index + 1), () => (channels.value = entry)])),
});
</script>

<template>
  <Trouble v-if="set.isError.value && !view" :error="set.error.value" @again="set.refetch()" />
  <main v-else-if="view" class="set" :class="{ wide }">
    <section v-show="!wide" class="main">
      <header class="top">
        <div class="title">
          <NamedTitle :name="view.name" label="Name of the set" :may-work="mayWork" @rename="rename" />
          <span class="mono soft">{{ view.files.length }} files</span>
          <RouterLink class="link soft" :to="{ name: 'look', params: { slug, id } }">Look closely</RouterLink>
        </div>
        <div class="acts">
          <template v-if="mayWork">
            <Button
              label="Undo"
              severity="secondary"
              text
              :disabled="!view.undo"
              :title="undoTitle"
              @click="step('undo')"
            />
            <Button
              v-if="view.redo"
              label="Do again"
              severity="secondary"
              text
              :title="view.redo"
              @click="step('redo')"
            />
          </template>
          <Select
            :model-value="view.target.name"
            :options="view.targets"
            option-label="title"
            option-value="name"
            :disabled="!mayWork"
            aria-label="Target"
            @update:model-value="
              (target: string) => change.mutate({ kind: 'change', target }, { onError: say.wrong })
            "
          >
            <template #option="{ option }">
              <div class="target">
                <div>{{ option.title }}</div>
                <div class="soft">{{ option.summary }}</div>
              </div>
            </template>
          </Select>
          <Button
            v-if="mayWork"
            label="Build"
            :severity="view.build?.current ? 'secondary' : undefined"
            :disabled="building || !!blocked"
            :title="blocked ? `${blocked.message} ${blocked.way_out}` : ''"
            @click="startBuild"
          />
          <Button
            v-if="mayWork"
            label="Prove"
            :severity="view.build?.current && !view.proved ? undefined : 'secondary'"
            :disabled="building || !!blocked"
            title="Build what is not current, encode, and measure what was lost"
            @click="startProof"
          />
          <Button
            v-if="view.proved"
            label="Deliver"
            :severity="view.variants.length ? undefined : 'secondary'"
            title="Choose what to deliver"
            @click="router.push({ name: 'deliveries', params: { slug }, query: { set: view.id } })"
          />
        </div>
      </header>

      <div v-if="view.job && isOpen(view.job)" class="work" role="status">
        <span>{{ view.job.title }}</span>
        <Meter :share="view.job.progress" :label="view.job.title" />
        <span class="mono soft">{{ view.job.doing || 'waiting' }}</span>
        <button
          class="plain link"
          :disabled="view.job.cancel_asked"
          @click="cancel.mutate(view.job.id, { onError: say.wrong })"
        >
          {{ view.job.cancel_asked ? 'Stopping' : 'Cancel' }}
        </button>
      </div>
      <div v-else-if="view.job" class="work" role="alert">
        <span v-if="view.job.state === 'cancelled'">The last job was cancelled; nothing was changed.</span>
        <span v-else class="wrong">✕ {{ view.job.problem }} {{ view.job.way_out }}</span>
        <button v-if="mayWork" class="plain link" @click="retry.mutate(view.job.id, { onError: say.wrong })">
          Try again
        </button>
      </div>

      <LedgerTable
        v-model:chosen="chosen"
        v-model:lit="lit"
        :lines="view.lines"
        :findings="view.findings"
        :may-work="mayWork"
        @fill="fill"
        @click="show()"
      />

      <section class="part" aria-label="Findings">
        <div class="head"><h2>Findings</h2></div>
        <FindingsList :findings="view.findings" :lit="lit" @choose="chosen = $event" />
      </section>

      <section class="part" aria-label="Outputs">
        <div class="head">
          <h2>
            Outputs
            <span v-if="view.build && !view.build.current" class="stale">◆ built before the last change</span>
            <span v-else-if="view.build" class="current">✓ current</span>
          </h2>
          <span v-if="view.build" class="gets">
            <a class="link" :href="`/api/builds/${view.build.id}/manifest`">Manifest</a>
            <a class="link" :href="`/api/builds/${view.build.id}/zip`">Download all</a>
          </span>
        </div>
        <OutputsTable :view="view" :lit="litOutputs" @look="lookAtOutput" />
      </section>

      <section v-if="view.build" class="part" aria-label="Proofs">
        <div class="head">
          <h2>
            Proofs
            <span v-if="view.proved" class="current">✓ as it is now</span>
            <span v-else class="stale">◆ not proved as it is now</span>
          </h2>
          <RouterLink class="link soft" :to="{ name: 'tolerances', params: { slug } }"
            >House tolerances</RouterLink
          >
        </div>
        <ProofTable
          :view="view"
          :lit="litOutputs"
          :may-work="mayWork"
          @look="lookAtOutput"
          @blocks="lookAtBlocks"
          @difference="lookAtDifference"
          @store="
            (output, storage) => change.mutate({ kind: 'store', output, storage }, { onError: say.wrong })
          "
        />
      </section>

      <section class="part" aria-label="Variants">
        <div class="head">
          <h2>Variants</h2>
          <button v-if="mayWork && masters.data.value?.length" class="plain link" @click="dress">
            Dress with {{ masters.data.value[0]?.title }}
          </button>
        </div>
        <RouterLink
          v-for="variant in view.variants"
          :key="variant.id"
          class="variant"
          :to="{ name: 'variant', params: { slug, id: variant.id } }"
        >
          <span class="variant-name">{{ variant.name }}</span>
          <span class="soft">
            {{ variant.master_title }} v{{ variant.version }}
            <span v-if="variant.version < variant.latest" class="stale">◆ v{{ variant.latest }} is out</span>
          </span>
          <span class="soft">{{ variant.changed_values }} of its own</span>
        </RouterLink>
        <p v-if="!view.variants.length" class="soft variant">
          This set has no variant yet. A variant is a master with this set’s maps and values of its own.
        </p>
      </section>

      <OriginPart :view="view" :may-work="mayWork" @changed="set.refetch()" />

      <section class="part" aria-label="Files">
        <div class="head">
          <h2>Files</h2>
          <span v-if="mayWork" class="soft">drag a file or one channel onto a row</span>
        </div>
        <FileShelf
          :shelved="shelved"
          :lit="litSource"
          :may-work="mayWork"
          @look="lookAt"
          @hover="litFile = $event"
        />
      </section>
      <button v-if="mayWork" class="plain link soft remove" @click="remove">Remove this set</button>
    </section>

    <aside class="side">
      <PictureWell
        v-model:view="channels"
        v-model:full="full"
        :subject="shownSubject"
        :blocks="blocks"
        :wide="wide"
        :side="side"
        :swappable="!picked && !!outputOfLine"
        @widen="wide = !wide"
        @swap="swap"
        @blocks="asBlocks = !asBlocks"
      />
      <RowEditor
        v-if="line && !wide"
        :line="line"
        :files="view.files"
        :open-files="view.open_files"
        :may-work="mayWork"
        @assign="assign(line.property, $event)"
        @clear="change.mutate({ kind: 'clear', property: line.property }, { onError: say.wrong })"
      />
    </aside>
  </main>
</template>

<style scoped>
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
  justify-content: space-between;
  gap: 14px;
  align-items: center;
  margin-bottom: 16px;
  min-height: 30px;
}
.title {
  display: flex;
  align-items: baseline;
  gap: 12px;
  min-width: 0;
}
.acts {
  display: flex;
  gap: 6px;
  flex: none;
}
.acts .p-select {
  width: 168px;
}
.acts .p-button-text {
  border: 0;
  padding: 0 8px;
}
.target {
  max-width: 300px;
  white-space: normal;
}
.work {
  display: flex;
  align-items: center;
  gap: 12px;
  padding: 0 8px 12px;
}
.wrong {
  color: var(--madder);
}
.part {
  margin-top: 28px;
}
.variant {
  display: grid;
  grid-template-columns: minmax(140px, 1fr) minmax(160px, 1fr) 110px;
  gap: 12px;
  padding: 7px 8px;
  border-bottom: 1px solid var(--rule);
}
p.variant {
  display: block;
}
.variant:hover .variant-name {
  text-decoration: underline;
  text-underline-offset: 3px;
}
.variant-name {
  font-weight: 600;
}
.remove {
  margin-top: 26px;
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
  width: 366px;
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
