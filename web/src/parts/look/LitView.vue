<script setup lang="ts">
// A set on the stage, from its sources or as it is built, beside itself read otherwise or in other light.
import { keepPreviousData, useQuery, useQueryClient } from '@tanstack/vue-query';
import { computed, onScopeDispose, ref, shallowRef, toRef } from 'vue';

import { putMesh } from '@/api/arriving';
import { ApiError, api, looking, take, type SetView } from '@/api/client';
import { useAddress } from '@/lib/page/address';
import { useBeside } from '@/stage/beside';
import { modelOf, type Model } from '@/stage/model';
import type { Surface } from '@/stage/stage';
import { surfaceQuery } from '@/stage/surfaces';

import MeshRevisions from '@/parts/models/MeshRevisions.vue';
import PickOne from '@/parts/widgets/PickOne.vue';
import StageView from '@/parts/stage/StageView.vue';
import { counted } from '@/lib/values/local';

const props = defineProps<{ set: SetView; slug: string; mayWork: boolean; large: boolean }>();
const emit = defineEmits<{ large: [] }>();
const SEEN = ['sources', 'built'] as const;
const seen = useAddress<(typeof SEEN)[number]>('seen', 'sources', SEEN);

function useSurface(which: (typeof SEEN)[number]) {
  const asked = computed(() => (which === 'built' ? { target: looking.target } : {}));
  const query = useQuery(computed(() => surfaceQuery(props.set.id, props.set.edit, asked.value)));
  const surface = computed<Surface | null>(() => (query.data.value?.ready ? query.data.value : null));
  return { query, surface };
}
const ways = { sources: useSurface('sources'), built: useSurface('built') };
const proved = computed(() => ways.built.surface.value !== null);
const shown = computed(() => (seen.value === 'built' && proved.value ? ways.built : ways.sources));
const { asked, others, other, why } = useBeside(toRef(props, 'set'), toRef(props, 'slug'));
const beside = computed(() => [
  ...(shown.value === ways.built
    ? [{ title: 'Before it is built', choices: [{ key: 'sources', text: 'Its sources' }] }]
    : []),
  ...others.value,
]);
const second = computed(() => (asked.value === 'sources' ? ways.sources.surface.value : other.value));
const missing = computed(() => shown.value.query.data.value?.missing ?? []);
const choices = [
  { value: 'sources', text: 'Sources' },
  { value: 'built', text: 'As built' },
] as const;

const cache = useQueryClient();
const chooser = ref<HTMLInputElement | null>(null);
const model = shallowRef<Model | null>(null);
const failure = ref('');
const opening = ref('');
const leaving = new AbortController();
onScopeDispose(() => leaving.abort());

async function show(file: Blob, name: string): Promise<void> {
  opening.value = name;
  failure.value = '';
  const tell = (doing: string) => (opening.value = `${name}, ${doing}`);
  try {
    model.value = await modelOf(file, name, { tell, signal: leaving.signal });
  } finally {
    opening.value = '';
  }
}
function words(error: unknown, name: string): string {
  if (error instanceof ApiError) return `${error.sentence} ${error.wayOut}`;
  return `${name} ${error instanceof Error ? error.message : 'cannot be read.'}`;
}
function keep(now: SetView): void {
  cache.setQueryData(['set', now.id], now);
}
/** Whoever may change the set keeps the model with it; others look at it in this browser alone. */
async function choose(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement;
  const file = input.files?.[0];
  input.value = '';
  if (!file) return;
  try {
    await show(file, file.name);
    if (props.mayWork) keep(await putMesh(props.set.id, file));
  } catch (error) {
    failure.value = words(error, file.name);
  }
}
/** Show the mesh that the set has: as the page knows it, or as it has just been told. */
async function fetchOwn(kept = props.set.mesh): Promise<void> {
  if (!kept) return chooser.value?.click();
  try {
    const answer = await fetch(`/api/sets/${props.set.id}/mesh?v=${kept.sha256.slice(0, 12)}`);
    if (!answer.ok) throw new Error('cannot be fetched. Reload the page.');
    await show(await answer.blob(), kept.name);
  } catch (error) {
    failure.value = words(error, kept.name);
  }
}
const revisions = useQuery(
  computed(() => ({
    queryKey: ['meshes', props.set.id, props.set.edit],
    queryFn: () => take(api.GET('/api/sets/{set_id}/meshes', { params: { path: { set_id: props.set.id } } })),
    placeholderData: keepPreviousData,
  })),
);
async function showRevision(number: number): Promise<void> {
  const path = { set_id: props.set.id, number };
  try {
    const now = await take(api.POST('/api/sets/{set_id}/meshes/{number}/show', { params: { path } }));
    keep(now);
    // The page has the set as it was until it is drawn anew, and its old address holds the old bytes.
    await fetchOwn(now.mesh);
  } catch (error) {
    failure.value = words(error, `Revision ${number}`);
  }
}
async function takeAway(): Promise<void> {
  try {
    keep(await take(api.DELETE('/api/sets/{set_id}/mesh', { params: { path: { set_id: props.set.id } } })));
    model.value = null;
  } catch (error) {
    failure.value = words(error, props.set.mesh?.name ?? 'The model');
  }
}
</script>

<template>
  <section class="lit" :class="{ large }" aria-label="Lit shape">
    <div class="top">
      <PickOne v-if="proved" v-model="seen" label="What is on the stage" :choices="choices" />
      <span v-else class="soft">From its sources; not proved yet, so that no blocks can be shown.</span>
      <span class="space" />
      <button
        class="plain link"
        :aria-pressed="large"
        title="In place of the table (L)"
        @click="emit('large')"
      >
        {{ large ? 'Smaller' : 'Larger' }}
      </button>
    </div>
    <StageView
      :surface="shown.surface.value"
      :others="beside"
      :other="second"
      :name="set.name"
      :still="`/api/sets/${set.id}/lit?v=${set.edit}`"
      :model="model"
      @other="asked = $event"
      @model="(wanted) => (wanted ? fetchOwn() : (model = null))"
    />
    <p v-if="why" class="missing" role="status">◆ {{ why }}</p>
    <p v-if="missing.length" class="missing">
      ◆ Without a map: {{ missing.join(', ') }}. A plain value stands in for it.
    </p>
    <p v-if="opening" class="soft own" role="status">Opening {{ opening }} …</p>
    <p v-else-if="model || (revisions.data.value?.length && !set.mesh)" class="soft own">
      <span v-if="!model">Its own model was taken away:</span>
      <span v-else
        >{{ set.mesh?.name }}: {{ model.parts.length }} {{ model.parts.length === 1 ? 'part' : 'parts' }},
        {{ counted(model.triangles) }} triangles. {{ model.notes.join(' ') }}</span
      >
      <MeshRevisions
        :revisions="revisions.data.value ?? []"
        :address="(number) => `/api/sets/${set.id}/mesh?revision=${number}`"
        :may-work="mayWork"
        @show="showRevision"
      />
      <button v-if="mayWork && model" class="plain link soft" @click="chooser?.click()">
        Choose another
      </button>
      <button v-if="mayWork && model && set.mesh" class="plain link soft" @click="takeAway">
        Take it away
      </button>
    </p>
    <p v-if="failure" class="wrong" role="alert">✕ {{ failure }}</p>
    <input ref="chooser" data-choose="mesh" type="file" accept=".glb,.gltf,.obj" hidden @change="choose" />
  </section>
</template>

<style scoped>
.lit {
  display: flex;
  flex-direction: column;
  height: 470px;
}
.large {
  flex: 1;
  height: auto;
  min-height: 0;
}
.top {
  display: flex;
  align-items: center;
  gap: 10px;
  padding: 6px 14px;
}
.space {
  flex: 1;
}
.own {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
  padding: 4px 16px;
}
.own .link {
  white-space: nowrap;
}
.wrong {
  color: var(--madder);
  padding: 6px 16px;
}
.missing {
  color: var(--ochre);
  padding: 6px 16px;
}
</style>
