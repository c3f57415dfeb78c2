<script setup lang="ts">
// A set dressed with a master: its values beside the live picture.
import { useQueryClient } from '@tanstack/vue-query';
import Button from 'primevue/button';
import { computed, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';

import { api, take, type Schemas, type Values, type VariantView } from '@/api/client';
import { isOpen, useMayWork, useProve, useRefresh, useVariant } from '@/api/queries';
import { useAsk } from '@/lib/ask';
import { useKeys } from '@/lib/keys';
import { useSay } from '@/lib/say';
import { useOvertaken } from '@/lib/overtaken';
import { grouped, useValues, withDefaults } from '@/lib/variants';
import FindingsList from '@/parts/FindingsList.vue';
import Meter from '@/parts/Meter.vue';
import NamedTitle from '@/parts/NamedTitle.vue';
import ParameterRow from '@/parts/ParameterRow.vue';
import StageView from '@/parts/StageView.vue';
import Trouble from '@/parts/Trouble.vue';

const route = useRoute();
const router = useRouter();
const cache = useQueryClient();
const ask = useAsk();
const say = useSay();
const slug = computed(() => String(route.params.slug));
// The page is made anew for each id; while it is left, the address is already another page's.
const id = ref(Number(route.params.id));
const variant = useVariant(id);
const view = computed(() => variant.data.value);
const mayWork = useMayWork(slug);
const refresh = useRefresh(slug);
const prove = useProve(
  computed(() => view.value?.set_id ?? 0),
  slug,
);
const history = useValues({});
const overtaken = useOvertaken();
interface Change {
  name?: string;
  values?: Values;
  version?: number;
}
const stage = ref<InstanceType<typeof StageView> | null>(null);
const saving = ref(false);
const begun = ref(0);

// The page's own values lead; the server's are taken at the beginning and with another version.
watch(
  () => view.value && `${view.value.id} ${view.value.version}`,
  (now) => {
    if (!now || !view.value) return;
    history.start(view.value.values);
    begun.value++;
  },
  { immediate: true },
);
const groups = computed(() => grouped(view.value?.parameters ?? []));
const own = computed(() => Object.keys(history.values.value).length);
/** What the picture shows: the master's values, and its own over them. */
const shown = computed(() => withDefaults(view.value?.parameters ?? [], history.values.value));

function patch(change: Change): Promise<VariantView> {
  return take(
    api.PATCH('/api/variants/{variant_id}', {
      params: { path: { variant_id: id.value }, query: { seen: view.value?.edit ?? 0 } },
      body: {
        name: change.name ?? null,
        values: (change.values ?? null) as Schemas['VariantChange']['values'],
        version: change.version ?? null,
      },
    }),
  );
}
async function send(change: Change): Promise<void> {
  saving.value = true;
  try {
    const answer = await overtaken(
      () => patch(change),
      () => variant.refetch(),
    );
    cache.setQueryData(['variant', id.value], answer);
    if (!change.values) refresh();
  } catch (error) {
    say.wrong(error);
  } finally {
    saving.value = false;
  }
}
let queued: Promise<void> = Promise.resolve();
/** One after the other, so that the last change is the one that stays, and each carries what the one before it answered. */
function change(made: Change): void {
  queued = queued.then(() => send(made));
}
function save(): void {
  change({ values: { ...history.values.value } });
}
function settle(): void {
  if (history.settle()) save();
}
function step(direction: 'undo' | 'redo'): void {
  if (mayWork.value && history.step(direction)) save();
}
function rename(name: string): void {
  change({ name });
}
function makeGltf(): void {
  take(api.POST('/api/variants/{variant_id}/gltf', { params: { path: { variant_id: id.value } } }))
    .then(() => variant.refetch())
    .then(() => cache.invalidateQueries({ queryKey: ['jobs', slug] }))
    .catch(say.wrong);
}
function remove(): void {
  ask(
    `Remove ${view.value?.name ?? ''}?`,
    'Its values go; this cannot be undone. The set stays.',
    'Remove',
    () => {
      const set = view.value?.set_id;
      take(api.DELETE('/api/variants/{variant_id}', { params: { path: { variant_id: id.value } } }))
        .then(() => router.push({ name: 'set', params: { slug: slug.value, id: set } }))
        .then(() => refresh())
        .catch(say.wrong);
    },
  );
}
useKeys({
  u: () => step('undo'),
  U: () => step('redo'),
  S: () => void stage.value?.save(),
  l: () => stage.value?.toggleTurning(),
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
            @click="change({ version: view.latest })"
          />
          <a v-if="view.gltf" class="link" :href="`/api/variants/${view.id}/gltf`" download>Download glTF</a>
          <span v-else-if="view.baking" class="soft" role="status"
            >Making glTF <span class="mono">{{ Math.round(view.baking.progress * 100) }} %</span></span
          >
          <button
            v-else-if="view.ready && mayWork"
            class="plain link"
            title="Bake the variant into a glTF 2.0 file: a square of one metre, at most 2048 texels wide"
            @click="makeGltf"
          >
            Make glTF
          </button>
        </div>
      </header>
      <StageView v-if="view.ready && begun" ref="stage" :view="view" :values="shown" />
      <div v-else class="empty">
        <div v-if="view.job && isOpen(view.job)" class="work" role="status">
          <span>{{ view.job.title }}</span>
          <Meter :share="view.job.progress" :label="view.job.title" />
          <span class="mono">{{ view.job.doing || 'waiting' }}</span>
        </div>
        <template v-else>
          <p>
            The preview shows the very blocks that the engine gets, and this set is not proved as it is now.
          </p>
          <Button
            v-if="mayWork"
            label="Prove the set"
            @click="prove.mutate(view.target.name, { onError: say.wrong })"
          />
        </template>
      </div>
    </section>
    <aside class="values">
      <div class="head">
        <h2>Values</h2>
        <span class="soft">{{ own }} of its own{{ saving ? ', saving' : '' }}</span>
        <span v-if="mayWork" class="steps">
          <button class="plain link" :disabled="!history.past.value.length" @click="step('undo')">
            Undo
          </button>
          <button v-if="history.future.value.length" class="plain link" @click="step('redo')">
            Do again
          </button>
        </span>
      </div>
      <section v-for="entry in groups" :key="entry.group" class="group" :aria-label="entry.group">
        <h3 class="soft">{{ entry.group }}</h3>
        <ParameterRow
          v-for="parameter in entry.parameters"
          :key="parameter.name"
          :parameter="parameter"
          :may-work="mayWork"
          :model-value="history.values.value[parameter.name]"
          @update:model-value="history.set(parameter.name, $event)"
          @settle="settle"
        />
      </section>
      <div class="head"><h2>Textures</h2></div>
      <div v-for="(chip, name) in view.bindings" :key="name" class="bound">
        <span>{{ name }}</span>
        <span class="mono" :class="{ faint: !chip }">{{ chip ?? 'no map; constant' }}</span>
      </div>
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
  gap: 14px;
  padding: 14px 20px;
}
.acts {
  display: flex;
  gap: 14px;
  align-items: center;
}
.empty {
  flex: 1;
  background: var(--well);
  color: #fff;
  display: grid;
  gap: 14px;
  place-content: center;
  justify-items: center;
  text-align: center;
  padding: 40px;
}
.work {
  display: grid;
  gap: 10px;
  width: 300px;
}
.values {
  width: 366px;
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
.steps {
  display: flex;
  gap: 10px;
  margin-left: auto;
}
.steps button:disabled {
  opacity: 0.4;
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
