<script setup lang="ts">
// One target: a version of it, or its draft being written, on a set of the project; its versions, and who has taken it.
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import Select from 'primevue/select';
import { computed, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';

import { api, take } from '@/api/client';
import { useBoard } from '@/api/queries';
import { useTarget, useTargetChanges, useTargets, useTargetsRefresh, useVocabulary } from '@/api/targets';
import { useAsk } from '@/lib/page/ask';
import { bytesWords } from '@/lib/values/format';
import { useSay } from '@/lib/page/say';
import { useTargetDraft, useTrial } from '@/parts/targets/targetdraft';
import DeprecateActs from '@/parts/drafts/DeprecateActs.vue';
import FormDialog from '@/parts/widgets/FormDialog.vue';
import NameDialog from '@/parts/widgets/NameDialog.vue';
import PickOne from '@/parts/widgets/PickOne.vue';
import TargetChanges from '@/parts/targets/TargetChanges.vue';
import TargetSheet from '@/parts/targets/TargetSheet.vue';
import TargetTrial from '@/parts/targets/TargetTrial.vue';
import Trouble from '@/parts/widgets/Trouble.vue';
import WritingActs from '@/parts/drafts/WritingActs.vue';
import { dayWords } from '@/lib/values/local';

const route = useRoute();
const router = useRouter();
const slug = computed(() => String(route.params.slug));
const name = computed(() => String(route.params.name));
const version = ref<number | null>(null);
const target = useTarget(name, version);
const targets = useTargets();
const words = useVocabulary();
const board = useBoard(slug);
const refresh = useTargetsRefresh();
const say = useSay();
const ask = useAsk();

const view = computed(() => target.data.value);
/** Whether the draft is looked at, or a version. */
const drafting = ref(true);
const inDraft = computed(() => drafting.value && !!view.value?.draft);
const draft = useTargetDraft(name, async () => (await target.refetch()).data?.draft ?? null);
watch(
  () => view.value?.draft,
  (found) => {
    // What is being written here is newer than what the server has told of it.
    if (found && (!draft.document.value || (found.edit > draft.edit.value && !draft.unsaved.value)))
      draft.load(found);
  },
  { immediate: true },
);
const shown = computed(() => (inDraft.value ? draft.document.value : (view.value?.document ?? null)));
const editable = computed(() => inDraft.value && !!view.value?.may_edit);

/** The set that the target is shown on: the one with the most maps, until another is chosen. */
const picked = ref<number | null>(null);
const sets = computed(() =>
  [...(board.data.value?.sets ?? [])].sort(
    (a, b) => b.has.length - a.has.length || a.name.localeCompare(b.name),
  ),
);
const set = computed(() => picked.value ?? sets.value[0]?.id ?? null);
const masks = computed(() => {
  const has = sets.value.find(({ id }) => id === set.value)?.has ?? [];
  return has.filter((key) => key.startsWith('mask.'));
});
const { tried } = useTrial(shown, set);

const old = ref('');
const compared = computed(() => (inDraft.value ? 'draft' : String(view.value?.version ?? '')));
const changes = useTargetChanges(name, old, compared, draft.edit);
const publishing = ref(false);
const copying = ref(false);
const note = ref('');
const busy = ref(false);

async function act(work: () => Promise<unknown>, said: string): Promise<boolean> {
  busy.value = true;
  try {
    await work();
    await refresh();
    if (said) say.done(said);
    return true;
  } catch (error) {
    say.wrong(error);
    return false;
  } finally {
    busy.value = false;
  }
}
const path = computed(() => ({ params: { path: { name: name.value } } }));
async function begin(): Promise<void> {
  await act(() => take(api.POST('/api/targets/{name}/draft', path.value)), '');
  drafting.value = true;
}
async function publish(): Promise<void> {
  const body = { seen: draft.edit.value, note: note.value };
  const done = await act(async () => {
    const made = await take(api.POST('/api/targets/{name}/publish', { ...path.value, body }));
    draft.document.value = null;
    version.value = null;
    return made;
  }, 'Published. Projects take it when they choose to.');
  if (done) {
    publishing.value = false;
    note.value = '';
  }
}
function discard(): void {
  const never = !view.value?.versions.length;
  ask(
    `Discard the draft of ${view.value?.title}?`,
    never ? 'It was never published: the target goes with it.' : 'Published versions stay as they are.',
    'Discard it',
    () =>
      void act(async () => {
        await take(api.DELETE('/api/targets/{name}/draft', path.value));
        draft.document.value = null;
        if (never) await router.replace({ name: 'targets', params: { slug: slug.value } });
      }, 'The draft is discarded.'),
  );
}
function remove(): void {
  ask(
    `Delete ${view.value?.title}?`,
    'Only a target that no project, build or delivery uses can be deleted. It cannot be brought back.',
    'Delete it',
    () =>
      void act(async () => {
        await take(api.DELETE('/api/targets/{name}', path.value));
        await router.replace({ name: 'targets', params: { slug: slug.value } });
      }, 'The target is deleted.'),
  );
}
async function copy(title: string): Promise<boolean> {
  return act(async () => {
    const body = { title, copy_of: `${name.value}@${view.value?.version}` };
    const made = await take(api.POST('/api/targets', { body }));
    await router.push({ name: 'target', params: { slug: slug.value, name: made.name } });
  }, '');
}
function deprecate(successor: string | null, on: boolean): void {
  void act(
    () =>
      take(
        api.PUT('/api/targets/{name}/deprecation', { ...path.value, body: { deprecated: on, successor } }),
      ),
    on ? 'Deprecated: nobody is offered it any more.' : 'It is offered again.',
  );
}
const others = computed(() =>
  (targets.data.value?.targets ?? []).filter(
    (line) => line.name !== name.value && line.version && !line.deprecated,
  ),
);
/** Why the draft cannot be published as it is. */
const hindered = computed(() => {
  const count = draft.problems.value.length;
  if (count) return `${count} ${count === 1 ? 'mistake is' : 'mistakes are'} left.`;
  if (!shown.value?.outputs.length) return 'It asks for no output yet.';
  return draft.unsaved.value ? 'It is being kept.' : '';
});
</script>

<template>
  <Trouble v-if="target.isError.value" :error="target.error.value" @again="target.refetch()" />
  <main v-else-if="view" v-keep-scroll class="page">
    <div class="title">
      <h1>{{ shown?.title ?? view.title }}</h1>
      <PickOne
        v-if="view.draft && view.versions.length"
        label="What is shown"
        :choices="[
          { value: true, text: 'Draft' },
          { value: false, text: 'Published' },
        ]"
        :model-value="inDraft"
        @update:model-value="drafting = !!$event"
      />
      <Select
        v-if="!inDraft && view.versions.length"
        :model-value="view.version"
        :options="
          view.versions.map((entry) => ({ value: entry.number, text: `v${entry.number}  ${entry.what}` }))
        "
        option-label="text"
        option-value="value"
        aria-label="Version"
        @update:model-value="version = $event"
      />
      <span v-if="inDraft" class="soft kept" role="status">{{ draft.state.value }}</span>
      <span class="space" />
      <template v-if="editable">
        <WritingActs
          :draft="draft"
          :can-undo="draft.canUndo.value"
          :can-redo="draft.canRedo.value"
          :hindered="hindered"
          :may-publish="view.may_publish"
          @discard="discard"
          @publish="publishing = true"
        />
      </template>
      <Button
        v-else-if="view.may_edit && !view.draft"
        label="Write the next version"
        :loading="busy"
        @click="begin"
      />
    </div>
    <p v-if="!editable" class="soft about">{{ shown?.summary }}</p>
    <p v-if="view.deprecated" class="look">
      ◆ This target is deprecated{{ view.successor ? `; ${view.successor} takes its place` : '' }}.
    </p>
    <div class="sample">
      <label
        >Shown on
        <Select
          :model-value="set"
          :options="sets.map(({ id, name: text }) => ({ value: id, text }))"
          option-label="text"
          option-value="value"
          aria-label="The set that it is shown on"
          placeholder="no set yet"
          filter
          @update:model-value="picked = $event"
        />
      </label>
      <span v-if="tried" class="mono">{{ bytesWords(tried.memory) }} in the engine</span>
      <span v-if="!sets.length" class="soft">Bring maps in, and each output is shown as it would be.</span>
    </div>
    <TargetSheet
      v-if="shown"
      :document="shown"
      :problems="inDraft ? draft.problems.value : []"
      :tried="tried"
      :set="set"
      :words="words.data.value"
      :masks="masks"
      :editable="editable"
      @change="draft.change($event)"
    />
    <TargetTrial
      v-if="inDraft && shown && shown.outputs.length && sets.length"
      :slug="slug"
      :name="name"
      :document="shown"
      :now="view.document ?? null"
    />
    <template v-if="view.versions.length">
      <div class="head part">
        <h2>Versions</h2>
        <Select
          v-if="view.versions.length > 1 || inDraft"
          :model-value="old || null"
          :options="
            view.versions
              .filter(({ number }) => inDraft || number !== view?.version)
              .map(({ number }) => ({ value: String(number), text: `Compare with v${number}` }))
          "
          option-label="text"
          option-value="value"
          placeholder="Compare with…"
          aria-label="Compare with a version"
          show-clear
          @update:model-value="old = $event ?? ''"
        />
      </div>
      <div v-if="old && changes.data.value" class="compared">
        <p class="soft">From v{{ old }} to {{ inDraft ? 'the draft' : `v${view.version}` }}:</p>
        <TargetChanges :changes="changes.data.value" />
      </div>
      <p v-if="old && changes.isError.value" class="look">{{ (changes.error.value as Error).message }}</p>
      <div v-for="entry in view.versions" :key="entry.number" class="version">
        <span class="mono">v{{ entry.number }}</span>
        <span>{{ entry.what }}</span>
        <span class="soft">{{ entry.by || 'the studio' }}, {{ dayWords(entry.at) }}</span>
        <a class="link soft" :href="`/api/targets/${name}/document?version=${entry.number}`" download
          >Export</a
        >
      </div>
      <div class="head part"><h2>Where it is used</h2></div>
      <p v-for="use in view.used" :key="use.slug" class="use">
        <RouterLink class="link" :to="{ name: 'targets', params: { slug: use.slug } }">{{
          use.title
        }}</RouterLink>
        <span class="mono">v{{ use.version }}</span>
      </p>
      <p v-if="view.hidden" class="soft use">
        and {{ view.hidden }} {{ view.hidden === 1 ? 'project' : 'projects' }} that you are no member of
      </p>
      <p v-if="!view.used.length && !view.hidden" class="soft use">No project has taken it yet.</p>
      <div v-if="view.may_edit" class="last">
        <Button label="Copy" severity="secondary" @click="copying = true" />
        <DeprecateActs
          v-if="view.may_publish"
          :deprecated="view.deprecated"
          :others="others"
          @deprecate="deprecate"
          @remove="remove"
        />
      </div>
    </template>
    <NameDialog
      v-if="copying"
      title="Copy of the target"
      :name="''"
      act="Copy"
      :send="copy"
      @close="copying = false"
    />
    <FormDialog
      v-if="publishing"
      :title="`Publish version ${(view.versions[0]?.number ?? 0) + 1}`"
      act="Publish"
      :busy="busy"
      :disabled="!note.trim()"
      @close="publishing = false"
      @submit="publish"
    >
      <p>A published version never changes. Projects stay on theirs until somebody takes this one.</p>
      <InputText
        v-model="note"
        aria-label="What is new in it"
        placeholder="What is new in it"
        maxlength="300"
      />
    </FormDialog>
  </main>
</template>

<style scoped>
.page {
  flex: 1;
  padding: 16px 20px 60px;
  overflow: auto;
  min-width: 0;
}
.title {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px 12px;
}
.space {
  flex: 1;
}
.about {
  margin: 4px 0;
  max-width: 820px;
}
.look {
  color: var(--ochre);
  margin: 4px 0;
}
.sample {
  display: flex;
  align-items: center;
  gap: 16px;
  padding: 8px 0;
  border-bottom: 1px solid var(--ink);
}
.sample label {
  display: flex;
  align-items: center;
  gap: 8px;
  color: var(--soft);
}
.part {
  margin-top: 28px;
}
.compared {
  padding: 10px 0;
}
.version {
  display: grid;
  grid-template-columns: 44px minmax(0, 1fr) auto 60px;
  gap: 14px;
  padding: 5px 8px;
  border-bottom: 1px solid var(--rule);
}
.use {
  display: flex;
  gap: 12px;
  padding: 5px 8px;
}
.last {
  display: flex;
  gap: 10px;
  margin-top: 20px;
}
</style>
