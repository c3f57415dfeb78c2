<script setup lang="ts">
// A master being written: its rows by keyboard, what it has beside them, and how it looks on sets of the project.
import { useQueryClient } from '@tanstack/vue-query';
import InputText from 'primevue/inputtext';
import Select from 'primevue/select';
import { computed, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';

import { api, take, type Schemas } from '@/api/client';
import { useBoard, useMaster, useRefresh } from '@/api/queries';
import { useBlocks, useSheetWords } from '@/api/sheets';
import { useAsk } from '@/lib/page/ask';
import { rounded } from '@/lib/values/numbers';
import { useSay } from '@/lib/page/say';
import { keptAs, type Block } from '@/parts/masters/blocks';
import { completed, type Sheet } from '@/parts/masters/sheet';
import { useSheetDraft, useSheetTrial } from '@/parts/masters/sheetdraft';
import BlockKeep from '@/parts/masters/BlockKeep.vue';
import FormDialog from '@/parts/widgets/FormDialog.vue';
import NameDialog from '@/parts/widgets/NameDialog.vue';
import SheetParts from '@/parts/masters/SheetParts.vue';
import SheetRows from '@/parts/masters/SheetRows.vue';
import StageView from '@/parts/stage/StageView.vue';
import Trouble from '@/parts/widgets/Trouble.vue';
import WritingActs from '@/parts/drafts/WritingActs.vue';

const route = useRoute();
const router = useRouter();
const cache = useQueryClient();
const say = useSay();
const ask = useAsk();
const slug = computed(() => String(route.params.slug));
const name = computed(() => String(route.params.name));
const master = useMaster(name, ref(null));
const words = useSheetWords();
const board = useBoard(slug);
const refresh = useRefresh(slug);
const view = computed(() => master.data.value);
type Draft = NonNullable<NonNullable<typeof view.value>['draft']>;
const whole = (found: Draft): Draft => ({ ...found, document: completed(found.document) });
const draft = useSheetDraft(name, async () => {
  const found = (await master.refetch()).data?.draft;
  return found ? whole(found) : null;
});
watch(
  () => view.value?.draft,
  (found) => {
    if (found && (!draft.document.value || (found.edit > draft.edit.value && !draft.unsaved.value)))
      draft.load(whole(found));
  },
  { immediate: true },
);
const sheet = draft.document;
const editable = computed(() => !!view.value?.may_draft);

/** The sets that its layers and free textures are shown with: those with the most maps, until others are chosen. */
const picked = ref<Record<string, number>>({});
const known = computed(() =>
  [...(board.data.value?.sets ?? [])].sort(
    (a, b) => b.has.length - a.has.length || a.name.localeCompare(b.name),
  ),
);
const holders = computed(() => [
  ...(sheet.value?.layers ?? []).map(({ name: holder, label }) => ({ holder, label })),
  ...(sheet.value?.textures ?? [])
    .filter(({ layer }) => !layer)
    .map(({ name: holder, label }) => ({ holder, label: label || holder })),
]);
const sets = computed(() => {
  const found: Record<string, number> = {};
  holders.value.forEach(({ holder }, at) => {
    const set = picked.value[holder] ?? known.value[at % Math.max(1, known.value.length)]?.id;
    if (set !== undefined) found[holder] = set;
  });
  return found;
});
const { tried, surface, rows } = useSheetTrial(sheet, slug, sets);
const problems = computed(() => tried.value?.problems ?? draft.problems.value);
const kinds = computed(() => tried.value?.kinds ?? {});
const cost = computed(() => tried.value?.cost ?? null);
const costWords = computed(
  () =>
    `At each place, for ${tried.value?.target ?? 'the usual target'}: what a GPU reads, and how many steps of arithmetic are written. The MB are those of the textures that are bound, at 2048 × 2048 texels each with their mips. Counted from the sheet, not measured.`,
);
/** What is odd about it: the worst first, and what is only worth knowing last. */
const ORDER = { error: 0, warning: 1, note: 2 };
const findings = computed(() =>
  [...(tried.value?.findings ?? [])].sort((a, b) => ORDER[a.severity] - ORDER[b.severity]),
);
/** What is wrong with the sheet as a whole, where no row and no part shows it. */
const unplaced = computed(() => problems.value.filter(({ place }) => place.length < 2));
const pinned = ref('');
const shownRow = computed(() => {
  const number = surface.value?.shader.rows.indexOf(pinned.value) ?? -1;
  if (number < 0) return null;
  const held = rows.value?.rows.find(({ strand }) => strand === pinned.value);
  const kind = kinds.value[pinned.value];
  if (kind === 'direction') return { number, low: -1, high: 1 };
  const outside = held && (held.low < 0 || held.high > 1);
  return { number, low: outside ? held.low : 0, high: outside ? held.high : 1 };
});
const pinnedWords = computed(() => {
  const held = rows.value?.rows.find(({ strand }) => strand === pinned.value);
  if (!held || !shownRow.value) return '';
  const { low, high } = shownRow.value;
  return `${pinned.value} holds ${rounded(held.low)} to ${rounded(held.high)}, ${rounded(held.mean)} on average; black is ${rounded(low)}, white ${rounded(high)}.`;
});

const studio = useBlocks();
/** The rows that become a block, and the block that is kept for the studio. */
const folding = ref<string[] | null>(null);
const keeping = ref<Block | null>(null);
/** The rows are folded and taken apart by the same rules that check them; what was changed meanwhile is not overwritten. */
async function rewrite(
  how: (document: Record<string, unknown>) => Promise<Schemas['Written']>,
): Promise<boolean> {
  const before = JSON.stringify(sheet.value);
  try {
    const { document } = await how(JSON.parse(before) as Record<string, unknown>);
    if (JSON.stringify(sheet.value) !== before)
      throw new Error('The sheet was changed meanwhile: do it again.');
    draft.change((written) => void Object.assign(written, document as unknown as Sheet));
    return true;
  } catch (error) {
    say.wrong(error);
    return false;
  }
}
function fold(title: string): Promise<boolean> {
  const strands = folding.value ?? [];
  return rewrite((document) => take(api.POST('/api/sheets/fold', { body: { document, strands, title } })));
}
function apart(strand: string): void {
  void rewrite((document) => take(api.POST('/api/sheets/apart', { body: { document, strand } })));
}
function kept(block: Block): void {
  const from = keeping.value?.name ?? block.name;
  keeping.value = null;
  draft.change((written) => keptAs(written, from, block));
  void cache.invalidateQueries({ queryKey: ['blocks'] });
}

const publishing = ref(false);
const note = ref('');
const path = computed(() => ({ params: { path: { name: name.value } } }));
async function publish(): Promise<void> {
  try {
    const body = { seen: draft.edit.value, note: note.value };
    const made = await take(api.POST('/api/masters/{name}/publish', { ...path.value, body }));
    publishing.value = false;
    draft.document.value = null;
    await cache.invalidateQueries({ queryKey: ['master', name.value] });
    void cache.invalidateQueries({ queryKey: ['masters'] });
    refresh();
    say.done(`${made.title} v${made.version} is published; variants stay on theirs.`);
    await router.replace({ name: 'master', params: { slug: slug.value, name: name.value } });
  } catch (error) {
    say.wrong(error);
  }
}
function discard(): void {
  const never = !view.value?.versions.length;
  ask(
    `Discard the draft of ${view.value?.title}?`,
    never ? 'It was never published: the master goes with it.' : 'Published versions stay as they are.',
    'Discard it',
    () => {
      take(api.DELETE('/api/masters/{name}/draft', path.value))
        .then(async () => {
          draft.document.value = null;
          await cache.invalidateQueries({ queryKey: ['masters'] });
          cache.removeQueries({ queryKey: ['master', name.value] });
          await router.replace(
            never
              ? { name: 'masters', params: { slug: slug.value } }
              : { name: 'master', params: { slug: slug.value, name: name.value } },
          );
          say.done('The draft is discarded.');
        })
        .catch(say.wrong);
    },
  );
}
/** Why the draft cannot be published as it is. */
const hindered = computed(() => {
  const count = problems.value.length;
  if (count) return `${count} ${count === 1 ? 'mistake is' : 'mistakes are'} left.`;
  return draft.unsaved.value ? 'It is being kept.' : '';
});
</script>

<template>
  <Trouble v-if="master.isError.value && !view" :error="master.error.value" @again="master.refetch()" />
  <main v-else-if="view && !view.draft" class="none">
    <p>{{ view.title }} is not being written.</p>
    <RouterLink class="link" :to="{ name: 'master', params: { slug, name } }">Look at its sheet</RouterLink>
  </main>
  <main v-else-if="view && sheet && words.data.value" class="writing">
    <section v-keep-scroll class="sheet">
      <header class="top">
        <h1>
          <input
            class="title"
            :value="sheet.title"
            :disabled="!editable"
            maxlength="80"
            aria-label="Title of the master"
            @change="
              draft.change(
                (written) =>
                  void (written.title = ($event.target as HTMLInputElement).value.trim() || written.title),
              )
            "
          />
        </h1>
        <span class="soft">draft</span>
        <span class="soft kept" role="status">{{ draft.state.value }}</span>
        <span class="space" />
        <WritingActs
          v-if="editable"
          :draft="draft"
          :can-undo="draft.canUndo.value"
          :can-redo="draft.canRedo.value"
          :hindered="hindered"
          :may-publish="view.may_publish"
          @discard="discard"
          @publish="publishing = true"
        />
      </header>
      <input
        class="summary soft"
        :value="sheet.summary"
        :disabled="!editable"
        maxlength="600"
        placeholder="What it is, and when to take it, in a sentence"
        aria-label="What it is, and when to take it"
        @change="
          draft.change((written) => void (written.summary = ($event.target as HTMLInputElement).value.trim()))
        "
      />
      <p class="count mono soft" role="status" :title="costWords">
        <template v-if="cost">
          {{ cost.reads }} reads · {{ cost.samplers }} of {{ cost.most }} samplers · {{ cost.megabytes }} MB ·
          {{ cost.arithmetic }} steps · {{ sheet.strands.length }} strands<template v-if="cost.versions > 1">
            · {{ cost.versions }} versions to compile</template
          >
        </template>
        <template v-else-if="problems.length"
          >{{ problems.length }} {{ problems.length === 1 ? 'mistake is' : 'mistakes are' }} left</template
        >
      </p>
      <p v-for="problem in unplaced" :key="problem.message" class="wrong" role="alert">
        ✕ {{ problem.subject }} {{ problem.message }} {{ problem.way_out }}
      </p>
      <ul v-if="findings.length" class="findings" aria-label="Findings">
        <li v-for="finding in findings" :key="`${finding.rule} ${finding.strand}`" :class="finding.severity">
          {{ finding.severity === 'error' ? '✕' : '◆' }}
          <span v-if="finding.strand" class="mono">{{ finding.strand }}</span> {{ finding.message }}
          <span class="soft">{{ finding.way_out }}</span>
        </li>
      </ul>
      <p v-if="!sheet.strands.length" class="soft empty">
        A sheet is read from above: each row is one step, and its chips name what goes in. Add a texture and a
        row that reads it, then say at the side what the surface is given.
      </p>
      <SheetRows
        :sheet="sheet"
        :words="words.data.value"
        :kinds="kinds"
        :problems="problems"
        :cost="cost"
        :held="rows"
        :editable="editable"
        :may-publish="!!view.may_publish"
        :pinned="pinned"
        :studio="studio.data.value ?? []"
        @change="draft.change($event)"
        @pin="pinned = $event"
        @fold="folding = $event"
        @apart="apart"
        @keep="keeping = $event"
      />
      <p v-if="editable" class="soft keys">
        <kbd>enter</kbd> new row · <kbd>f2</kbd> rename · <kbd>alt ↑ ↓</kbd> move · <kbd>ctrl d</kbd> copy ·
        <kbd>c</kbd> comment · <kbd>p</kbd> show on the stage · <kbd>shift ↑ ↓</kbd> choose rows ·
        <kbd>b</kbd> make a block of them · <kbd>o</kbd> look inside one · <kbd>del</kbd> remove · type into a
        chip to change it
      </p>
    </section>
    <aside v-keep-scroll class="side">
      <div class="shown">
        <StageView
          v-if="surface && known.length"
          :surface="surface"
          :values="surface.values"
          :name="sheet.title"
          :row="shownRow"
        />
        <p v-else class="well">
          {{ known.length ? 'It is shown as soon as it holds.' : 'Bring maps in, and it is shown on a set.' }}
        </p>
      </div>
      <p v-if="pinnedWords" class="soft pinned" role="status">
        {{ pinnedWords }} <button type="button" class="plain link" @click="pinned = ''">Show it lit</button>
      </p>
      <label v-for="{ holder, label } in holders" :key="holder" class="holder soft">
        {{ label }}
        <Select
          :model-value="sets[holder] ?? null"
          :options="known.map(({ id, name: text }) => ({ value: id, text }))"
          option-label="text"
          option-value="value"
          placeholder="no set yet"
          filter
          :aria-label="`The set that ${label} is shown with`"
          @update:model-value="picked = { ...picked, [holder]: Number($event) }"
        />
      </label>
      <SheetParts
        :sheet="sheet"
        :words="words.data.value"
        :kinds="kinds"
        :problems="problems"
        :cost="cost"
        :editable="editable"
        @change="draft.change($event)"
      />
    </aside>
    <NameDialog
      v-if="folding"
      :title="`A block of ${folding.length} ${folding.length === 1 ? 'row' : 'rows'}`"
      name=""
      act="Make it"
      :send="fold"
      @close="folding = null"
    />
    <BlockKeep
      v-if="keeping"
      :block="keeping"
      :studio="studio.data.value ?? []"
      @close="keeping = null"
      @kept="kept"
    />
    <FormDialog
      v-if="publishing"
      title="Publish this draft"
      :act="`Publish v${(view.latest ?? 0) + 1}`"
      @close="publishing = false"
      @submit="publish"
    >
      <p class="soft">
        It becomes version {{ (view.latest ?? 0) + 1 }}. Variants stay on theirs until somebody moves them.
      </p>
      <InputText
        v-model="note"
        placeholder="What is new in it"
        aria-label="What is new in it"
        maxlength="300"
      />
    </FormDialog>
  </main>
</template>

<style scoped>
.writing {
  flex: 1;
  display: flex;
  min-width: 0;
}
.sheet {
  flex: 1;
  min-width: 0;
  padding: 14px 18px 40px;
  overflow: auto;
}
.top {
  display: flex;
  gap: 8px;
  align-items: center;
}
.title {
  font: inherit;
  border: 0;
  border-bottom: 1px solid transparent;
  background: none;
  color: inherit;
  width: 220px;
}
.title:hover,
.title:focus {
  border-color: var(--rule);
}
.space {
  flex: 1;
}
.summary {
  width: 100%;
  border: 0;
  background: none;
  padding: 4px 0;
  font: inherit;
}
.count {
  min-height: 20px;
}
.wrong {
  color: var(--madder);
}
.findings {
  list-style: none;
  padding: 4px 0;
  font-size: 12px;
}
.findings .warning,
.findings .note {
  color: var(--ochre);
}
.findings .error {
  color: var(--madder);
}
.empty {
  max-width: 520px;
  padding: 14px 0;
}
.keys {
  padding-top: 12px;
  font-size: 12px;
}
.side {
  width: 356px;
  flex: none;
  border-left: 1px solid var(--rule);
  padding: 0 14px 40px;
  overflow: auto;
}
.shown {
  height: 330px;
  margin: 0 -14px 8px;
  display: flex;
  flex-direction: column;
}
.well {
  flex: 1;
  background: var(--well);
  color: #000;
  display: grid;
  place-content: center;
}
.holder {
  display: flex;
  justify-content: space-between;
  align-items: center;
  min-height: 30px;
  gap: 10px;
}
.holder :deep(.p-select) {
  width: 220px;
  height: 26px;
}
.pinned {
  font-size: 12px;
}
.none {
  padding: 30px 20px;
}
</style>
