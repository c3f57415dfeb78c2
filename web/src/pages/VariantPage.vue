<script setup lang="ts">
// A set dressed with a master: its values beside the live picture.
import { keepPreviousData, useQuery, useQueryClient } from '@tanstack/vue-query';
import Button from 'primevue/button';
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';

import type { VariantChange } from '@/api/changes';
import { api, take, type Schemas, type Value } from '@/api/client';
import { useSeen } from '@/api/seen';
import { isOpen, useBoard, useMayWork, useOpenFiles, useProve, useRefresh, useVariant } from '@/api/queries';
import { useEditing } from '@/lib/page/edits';
import { useActions } from '@/lib/page/keys';
import { useSay } from '@/lib/page/say';
import { counts, groupProblem, grouped, useValues, withDefaults } from '@/lib/values/variants';
import { listedWords } from '@/lib/values/format';
import FindingsList from '@/parts/widgets/FindingsList.vue';
import FlattenPart from '@/parts/models/FlattenPart.vue';
import LayersPart from '@/parts/models/LayersPart.vue';
import Meter from '@/parts/widgets/Meter.vue';
import MadeFile from '@/parts/models/MadeFile.vue';
import NamedTitle from '@/parts/widgets/NamedTitle.vue';
import ParameterRow from '@/parts/models/ParameterRow.vue';
import StageView from '@/parts/stage/StageView.vue';
import Trouble from '@/parts/widgets/Trouble.vue';
import { useVariantBeside } from '@/stage/beside';
import { builtOf, sourcesOf } from '@/stage/surfaces';

const route = useRoute();
const router = useRouter();
const cache = useQueryClient();
const say = useSay();
const slug = computed(() => String(route.params.slug));
// The page is made anew for each id; while it is left, the address is already another page's.
const id = ref(Number(route.params.id));
const variant = useVariant(id);
const view = computed(() => variant.data.value);
const edit = computed(() => view.value?.edit ?? 0);
const seen = useSeen(id, edit);
const mayWork = useMayWork(slug);
const refresh = useRefresh(slug);
/** Its sets that are not proved as they are now, each once. */
const unproved = computed(
  () =>
    new Map(
      (view.value?.layers ?? []).flatMap(({ set_id: set, set_name: name, proved }) =>
        set === null || proved ? [] : [[set, name]],
      ),
    ),
);
const toProve = computed(() => [...unproved.value.keys()]);
const prove = useProve(toProve, slug);
const { edits, changeVariant } = useEditing();
const settings = useValues({});
const stage = ref<InstanceType<typeof StageView> | null>(null);
const begun = ref(false);
const thing = `variant/${id.value}`;

// The page follows the server, with what is not saved yet over it.
const waiting = computed(() =>
  edits
    .about(thing)
    .map((edit) => (edit.change as VariantChange).values as Record<string, Value | null> | undefined),
);
watch(
  [() => view.value?.edit, () => view.value?.version, waiting],
  () => {
    if (!view.value) return;
    settings.follow(
      view.value.values,
      waiting.value.filter((values) => values !== undefined),
    );
    begun.value = true;
  },
  { immediate: true },
);
/** What it looks like from its sources, while there are no blocks. */
const sources = useQuery({
  queryKey: ['variant', id, 'sources', edit, computed(() => view.value?.target.name)],
  queryFn: () => sourcesOf(id.value),
  enabled: computed(() => view.value?.ready === false),
  placeholderData: keepPreviousData,
});
/** What stands on the stage: the very blocks that the engine gets, or the sources while there are none. */
const surface = computed(() => (view.value?.ready ? builtOf(view.value) : (sources.data.value ?? null)));
const blocks = computed(() => view.value?.outputs.map((output) => output.sha256).join());
// What the engine gets has changed under an open page: the picture is new, and that is said.
watch([blocks, () => view.value?.ready], ([now, ready], [before, was]) => {
  if (was && ready && now !== before)
    say.done(`${view.value?.set_name} was built again: the picture shows it as it is now.`);
});
const proving = computed(() => view.value?.job && isOpen(view.value.job));
const { asked, others, other, why } = useVariantBeside(id.value, slug);
/** What can be set, in groups: parameters that count as things stand, and constants in the place of maps. */
const groups = computed(() =>
  grouped([
    ...(view.value?.parameters ?? []).filter((parameter) => counts(parameter, shown.value)),
    ...(view.value?.constants ?? []),
  ]),
);
const maps = computed(() => new Set((view.value?.constants ?? []).map(({ name }) => name)));
const board = useBoard(slug);
/** Files of no set: free textures may take them. */
const open = useOpenFiles(slug);
const sets = computed(() => [...(board.data.value?.sets ?? [])].sort((a, b) => a.name.localeCompare(b.name)));
const own = computed(() => Object.keys(settings.values.value).length);
/** What the picture shows: the master's values, and its own over them. */
const shown = computed(() => withDefaults(view.value?.parameters ?? [], settings.values.value));

function change(what: string, made: VariantChange): void {
  void changeVariant(id.value, `${what} (${view.value?.name ?? ''})`, made).then((saved) => {
    // A structural switch makes another shader, and other layers other textures.
    if (saved && (!made.values || structural(made.values))) void refresh();
  });
}
function structural(values: NonNullable<VariantChange['values']>): boolean {
  return (view.value?.parameters ?? []).some(({ name, structural: is }) => is && name in values);
}
function settle(): void {
  const values = settings.settle();
  if (!values) return;
  const labels = Object.keys(values).map(
    (name) => view.value?.parameters.find((parameter) => parameter.name === name)?.label ?? name,
  );
  change(labels.join(', '), { values });
}
/** What is shown is kept soon, also where nothing said that a change had come to its end. */
const REST = 1000;
const POINTER = ['pointerdown', 'pointerup', 'pointercancel'] as const;
let held = false;
let resting = 0;
const hold = (event: PointerEvent): void => void (held = event.buttons > 0);
/** A movement that is still held is not over, however long it rests: all of it is one step to undo. */
function rest(): void {
  window.clearTimeout(resting);
  resting = window.setTimeout(() => (held ? rest() : settle()), REST);
}
watch(settings.values, rest);
onMounted(() => POINTER.forEach((kind) => window.addEventListener(kind, hold, { capture: true })));
onBeforeUnmount(() => {
  POINTER.forEach((kind) => window.removeEventListener(kind, hold, { capture: true }));
  window.clearTimeout(resting);
  settle();
});
function rename(name: string): void {
  change(`Renamed to ${name}`, { name });
}
function make(form: Schemas['VariantFileView']['form']): void {
  const path = { variant_id: id.value, form };
  take<Schemas['JobView']>(api.POST('/api/variants/{variant_id}/files/{form}', { params: { path } }))
    .then(() => variant.refetch())
    .then(() => cache.invalidateQueries({ queryKey: ['jobs', slug] }))
    .catch(say.wrong);
}
function remove(): void {
  const { set_id: set, name } = view.value ?? {};
  take(api.DELETE('/api/variants/{variant_id}', { params: { path: { variant_id: id.value } } }))
    .then(() => router.push({ name: 'set', params: { slug: slug.value, id: set } }))
    .then(() => refresh())
    .then(() => say.done(`${name} is removed. Undo brings it back, for 30 days.`))
    .catch(say.wrong);
}
useActions({
  savePicture: () => void stage.value?.save(),
  turn: () => stage.value?.toggleTurning(),
});
</script>

<template>
  <Trouble v-if="variant.isError.value && !view" :error="variant.error.value" @again="variant.refetch()" />
  <main v-else-if="view" class="variant">
    <section class="look">
      <header class="top">
        <div>
          <NamedTitle :name="view.name" label="Name of the variant" :may-work="mayWork" @rename="rename" />
          <p class="soft">
            <RouterLink class="link" :to="{ name: 'set', params: { slug, id: view.set_id } }">{{
              view.set_name
            }}</RouterLink>
            dressed with
            <RouterLink class="link" :to="{ name: 'master', params: { slug, name: view.master } }"
              >{{ view.master_title }} v{{ view.version }}</RouterLink
            >
            for {{ view.target.title }}
          </p>
        </div>
        <div class="acts">
          <Button
            v-if="mayWork && view.version < view.latest"
            :label="`Move to v${view.latest}`"
            severity="secondary"
            @click="change(`Moved to v${view.latest}`, { version: view.latest })"
          />
          <MadeFile
            v-for="file in view.files"
            :key="file.form"
            :file="file"
            :may-make="mayWork"
            :address="`/api/variants/${view.id}/files/${file.form}`"
            @make="make(file.form)"
          />
        </div>
      </header>
      <StageView
        v-if="surface && begun"
        ref="stage"
        :surface="surface"
        :values="shown"
        :name="view.name"
        :still="`/api/variants/${view.id}/lit`"
        :others="others"
        :other="other"
        @other="asked = $event"
      />
      <p v-if="surface && why" class="why" role="status">◆ {{ why }}</p>
      <div v-if="surface?.seen === 'sources'" class="sources" role="status">
        <template v-if="view.job && proving">
          <span>{{ view.job.title }}</span>
          <Meter :share="view.job.progress" :label="view.job.title" />
          <span class="mono">{{ view.job.doing || 'waiting' }}</span>
        </template>
        <template v-else>
          <span>
            ◆ Shown from the sources:
            {{ listedWords([...unproved.values()]) }}
            {{ unproved.size > 1 ? 'are not proved as they are' : 'is not proved as it is' }} now for
            {{ view.target.title }}.
          </span>
          <Button
            v-if="mayWork && unproved.size"
            :label="
              unproved.size > 2
                ? `Prove these ${unproved.size} sets`
                : `Prove ${[...unproved.values()].join(' and ')}`
            "
            severity="secondary"
            @click="prove.mutate(view.target.name, { onError: say.wrong })"
          />
        </template>
      </div>
      <Trouble
        v-if="!surface && sources.isError.value"
        :error="sources.error.value"
        @again="sources.refetch()"
      />
      <div v-else-if="!surface || !begun" class="empty" />
    </section>
    <aside v-keep-scroll class="values">
      <LayersPart
        v-if="view.layers.length > 1"
        :slug="slug"
        :layers="view.layers"
        :sets="sets"
        :files="open.data.value ?? []"
        :may-work="mayWork"
        :seen="seen.data.value ?? []"
        :painted="view.shader.mesh.some((name) => name.startsWith('vertex'))"
        @take="(layers, said) => change(said, { layers })"
      />
      <div class="head">
        <h2>Values</h2>
        <span v-term="'override'" class="soft">{{ own }} {{ own === 1 ? 'override' : 'overrides' }}</span>
      </div>
      <section v-for="group in groups" :key="group.group" class="group" :aria-label="group.group">
        <h3 class="soft">{{ group.group }}</h3>
        <ParameterRow
          v-for="parameter in group.parameters"
          :key="parameter.name"
          :parameter="parameter"
          :map="maps.has(parameter.name)"
          :may-work="mayWork"
          :model-value="settings.values.value[parameter.name]"
          @update:model-value="settings.set(parameter.name, $event)"
          @settle="settle"
        />
        <p v-if="groupProblem(group.parameters, settings.values.value)" class="range" role="status">
          ◆ {{ groupProblem(group.parameters, settings.values.value) }}
        </p>
      </section>
      <div class="head"><h2>Textures</h2></div>
      <div v-for="(chip, name) in view.bindings" :key="name" class="bound">
        <span>{{ name }}</span>
        <span class="mono" :class="{ faint: !chip }">{{ chip ?? 'no texture: value used' }}</span>
      </div>
      <FlattenPart
        :slug="slug"
        :variant="view.id"
        :usual="`${view.name} flat`"
        :ready="view.ready"
        :may-work="mayWork"
      />
      <FindingsList v-if="view.findings.length" :findings="view.findings" :lit="null" />
      <button v-if="mayWork" class="plain link soft remove" @click="remove">Remove this variant</button>
    </aside>
  </main>
</template>

<style scoped>
.variant {
  flex: 1;
  display: flex;
  min-width: 0;
}
.look {
  flex: 1;
  display: flex;
  flex-direction: column;
  min-width: 0;
}
.top {
  display: flex;
  justify-content: space-between;
  align-items: center;
  flex-wrap: wrap;
  gap: 8px 14px;
  padding: 14px 20px;
}
.why {
  color: var(--ochre);
  padding: 6px 20px;
}
.acts {
  display: flex;
  gap: 14px;
  align-items: center;
}
.empty {
  flex: 1;
  background: var(--well);
  color: #000;
  display: grid;
  gap: 14px;
  place-content: center;
  justify-items: center;
  text-align: center;
  padding: 40px;
}
.sources {
  display: flex;
  gap: 14px;
  align-items: center;
  padding: 6px 20px;
  min-height: 40px;
}
.values {
  width: var(--side);
  flex: none;
  border-left: 1px solid var(--rule);
  padding: 18px 16px 40px;
  overflow: auto;
}
.values .head {
  gap: 12px;
  margin-top: 18px;
}
.values .head:first-child {
  margin-top: 0;
}
.group {
  padding: 8px 0;
  border-bottom: 1px solid var(--rule);
}
h3 {
  font-size: 12px;
  font-weight: 500;
  padding-bottom: 2px;
}
.range {
  color: var(--ochre);
  padding: 2px 0 4px;
}
.bound {
  display: flex;
  justify-content: space-between;
  min-height: 26px;
  align-items: center;
  border-bottom: 1px solid var(--rule);
}
.remove {
  margin-top: 22px;
}
</style>
