<script setup lang="ts">
// A model on the stage: its parts, and what each of them wears.
import { useQuery, useQueryClient } from '@tanstack/vue-query';
import Button from 'primevue/button';
import Select from 'primevue/select';
import { computed, ref, shallowRef, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';

import { putModel, withMaterials } from '@/api/arriving';
import { api, take } from '@/api/client';
import { useBoard, useMayWork, useVariants } from '@/api/queries';
import { useAddress } from '@/lib/page/address';
import { useSay } from '@/lib/page/say';
import FlattenPart from '@/parts/models/FlattenPart.vue';
import KeepPainted from '@/parts/models/KeepPainted.vue';
import MeshRevisions from '@/parts/models/MeshRevisions.vue';
import { useOpenedModel } from '@/parts/models/opened';
import { usePainted } from '@/parts/models/painted';
import NamedTitle from '@/parts/widgets/NamedTitle.vue';
import PaintPart from '@/parts/models/PaintPart.vue';
import SeenPart from '@/parts/models/SeenPart.vue';
import StageView from '@/parts/stage/StageView.vue';
import Trouble from '@/parts/widgets/Trouble.vue';
import WholeName from '@/parts/widgets/WholeName.vue';
import type { Model, ModelPart } from '@/stage/model';
import { apart, spanOf } from '@/stage/painting';
import { byName, keyOf, useWorn, type Wears } from '@/stage/surfaces';
import { listedWords } from '@/lib/values/format';
import { counted } from '@/lib/values/local';

const route = useRoute();
const router = useRouter();
const say = useSay();
const cache = useQueryClient();
const slug = computed(() => String(route.params.slug));
const id = Number(route.params.id);
const mayWork = useMayWork(slug);
const chooser = ref<HTMLInputElement | null>(null);
const view = useQuery({
  queryKey: ['model', id],
  queryFn: () => take(api.GET('/api/models/{model_id}', { params: { path: { model_id: id } } })),
});
const board = useBoard(slug);
const variants = useVariants(slug);
const model = shallowRef<Model | null>(null);
const hidden = ref(new Set<number>());
/** Which set of its texture coordinates is looked at. */
const second = useAddress('coordinates', false);
const paint = usePainted(model, keepPainted, say.wrong);
const { problem, doing, newer, file, open } = useOpenedModel(
  model,
  view.data,
  second,
  () => model.value !== null && paint.unkept.value,
);
watch(model, (now, before) => now !== before && hidden.value.clear());
/** Do what takes away what is painted and not kept, if that may go. */
async function parting(act: () => void): Promise<void> {
  if (!(await paint.leave())) return;
  paint.clear();
  act();
}

interface Choice {
  key: string;
  name: string;
  wears: Wears | null;
}
const choices = computed<Choice[]>(() => [
  { key: 'nothing', name: 'Nothing', wears: null },
  { key: 'own', name: 'As its own file says', wears: { own: true } },
  ...(board.data.value?.sets ?? []).map((set) => ({
    key: `set ${set.id}`,
    name: set.name,
    wears: { set: set.id },
  })),
  ...(variants.data.value ?? []).map((variant) => ({
    key: `variant ${variant.id}`,
    name: `${variant.name} (${variant.master_title})`,
    wears: { variant: variant.id },
  })),
]);
const edits = computed(() => new Map(board.data.value?.sets.map((set) => [set.id, set.edit])));
const stamps = computed(() => new Map(board.data.value?.sets.map((set) => [set.id, set.picture])));
const wearing = computed(
  () => model.value?.parts.map((part) => view.data.value?.parts[part.name] ?? null) ?? [],
);
const { worn, waits } = useWorn(wearing, edits);
const bare = computed(
  () => model.value?.parts.filter((_, at) => !wearing.value[at]).map((part) => part.name) ?? [],
);
const editOf = (id: number) => variants.data.value?.find((variant) => variant.id === id)?.version ?? 0;
const stage = ref<InstanceType<typeof StageView> | null>(null);
const chosen = ref<number | null>(null);

function litOf(wears: Wears | null | undefined): string {
  if (wears?.variant) return `/api/variants/${wears.variant}/lit`;
  return `/api/sets/${wears?.set}/lit?v=${stamps.value.get(wears?.set ?? 0) ?? ''}`;
}
async function change(body: { name?: string; parts?: Record<string, Wears | null> }): Promise<void> {
  try {
    const seen = view.data.value?.edit ?? 0;
    const asked = api.PATCH('/api/models/{model_id}', {
      params: { path: { model_id: id }, query: { seen } },
      body,
    });
    cache.setQueryData(['model', id], await take(asked));
    void cache.invalidateQueries({ queryKey: ['steps', slug.value] });
  } catch (error) {
    say.wrong(error);
    void view.refetch();
  }
}
function wear(part: string, key: string): void {
  void change({ parts: { [part]: choices.value.find((choice) => choice.key === key)?.wears ?? null } });
}
function matchNames(): void {
  const parts = model.value?.parts ?? [];
  const named = choices.value.flatMap(({ name, wears }) => (wears ? [{ name, wears }] : []));
  const found = [...byName(parts, named)].filter(([at]) => !wearing.value[at]);
  if (!found.length) return say.done('No part without anything bears the name of a set or a variant.');
  void change({ parts: Object.fromEntries(found.map(([at, wears]) => [parts[at]?.name ?? '', wears])) }).then(
    () =>
      say.done(
        `${found.length} ${found.length === 1 ? 'part is' : 'parts are'} dressed by name. Undo takes it back.`,
      ),
  );
}
function hide(piece: number): void {
  if (!hidden.value.delete(piece)) hidden.value.add(piece);
  stage.value?.stage?.hide(piece, hidden.value.has(piece));
}
/** One part alone, and all of them again. */
function isolate(piece: number): void {
  const all = model.value?.parts.map((_, at) => at) ?? [];
  const alone = hidden.value.size === all.length - 1 && !hidden.value.has(piece);
  hidden.value = new Set(alone ? [] : all.filter((at) => at !== piece));
  for (const at of all) stage.value?.stage?.hide(at, hidden.value.has(at));
}
async function revise(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement;
  const [chosen] = withMaterials([...(input.files ?? [])]);
  input.value = '';
  if (!chosen || !view.data.value || !(await paint.leave())) return;
  paint.clear();
  // A revision comes under the name that the model has.
  const named = new File([chosen.file], view.data.value.file_name);
  await putModel(slug.value, named, chosen.beside)
    .then((now) => cache.setQueryData(['model', id], now))
    .catch(say.wrong);
}
function showRevision(number: number): void {
  const query = { seen: view.data.value?.edit ?? 0 };
  const path = { model_id: id, number };
  take(api.POST('/api/models/{model_id}/revisions/{number}/show', { params: { path, query } }))
    .then((now) => cache.setQueryData(['model', id], now))
    .catch(say.wrong);
}
const painting = ref(false);
/** What is painted on the chosen part; looked at anew when somebody ends painting. */
const looked = computed(() => {
  const part = painting.value ? undefined : model.value?.parts[chosen.value ?? -1];
  return part ? { painted: spanOf(part.geometry), apart: apart(part.geometry) } : null;
});
const painted = computed(() =>
  worn.value.some(
    (dress) => dress && dress !== 'own' && dress.shader.mesh.some((name) => name.startsWith('vertex')),
  ),
);
/** A part as it is painted now, kept or not. */
async function partAlone(at: number): Promise<Blob> {
  const { glbOf } = await import('@/stage/export');
  return model.value ? glbOf(model.value, at) : new Blob();
}
/** Keep what is painted on some parts: in the glTF file that they came from, as a revision; of other files as a model of its own that
 * wears the same. `stay` opens that one. */
async function keepPainted(parts: ModelPart[], stay: boolean): Promise<void> {
  const held = view.data.value;
  if (!model.value || !held || !file.value) return;
  const { file_name: name } = held;
  if (parts.every(({ origin }) => origin)) {
    const { paintInto } = await import('@/stage/paintinto');
    const kept = await putModel(slug.value, new File([await paintInto(file.value, name, parts)], name));
    paint.clear();
    cache.setQueryData(['model', id], kept);
    say.done('What is painted is kept as a new revision of the model.');
    return;
  }
  const { glbOf } = await import('@/stage/export');
  const named = `${name.replace(/\.[^.]*$/, '')} painted.glb`;
  const kept = await putModel(slug.value, new File([await glbOf(model.value)], named));
  await take(
    api.PATCH('/api/models/{model_id}', {
      params: { path: { model_id: kept.id }, query: { seen: kept.edit } },
      body: { parts: held.parts },
    }),
  );
  paint.clear();
  say.done(`What is painted is kept as ${named}; ${name} stays as it was.`);
  if (stay) await router.push({ name: 'model', params: { slug: slug.value, id: kept.id } });
}
function remove(): void {
  take(api.DELETE('/api/models/{model_id}', { params: { path: { model_id: id } } }))
    .then(() => router.push({ name: 'models', params: { slug: slug.value } }))
    .then(() => say.done('The model is removed. Undo brings it back, for 30 days.'))
    .catch(say.wrong);
}
</script>

<template>
  <Trouble v-if="view.isError.value && !view.data.value" :error="view.error.value" @again="view.refetch()" />
  <main v-else-if="view.data.value" class="model">
    <section class="look">
      <header class="top">
        <div>
          <NamedTitle
            :name="view.data.value.name"
            label="Name of the model"
            :may-work="mayWork"
            @rename="(name) => change({ name })"
          />
          <p class="soft">
            <span class="mono">{{ view.data.value.file_name }}</span>,
            <MeshRevisions
              :revisions="view.data.value.revisions"
              :address="(number) => `/api/models/${id}/file?revision=${number}`"
              :may-work="mayWork"
              @show="(number) => parting(() => showRevision(number))"
            /><template v-if="model"
              >, {{ model.parts.length }} {{ model.parts.length === 1 ? 'part' : 'parts' }},
              {{ counted(model.triangles) }} triangles</template
            >
          </p>
        </div>
        <div v-if="mayWork" class="ways">
          <button v-if="model" class="plain link" :aria-pressed="painting" @click="painting = !painting">
            {{ painting ? 'Stop painting' : 'Paint on it' }}
          </button>
          <button class="plain link" @click="chooser?.click()">Bring in a new revision</button>
        </div>
      </header>
      <p v-if="problem" class="wrong" role="alert">✕ {{ problem }}</p>
      <StageView
        v-if="model"
        ref="stage"
        :surface="null"
        :worn="worn"
        :waits="waits"
        :model="model"
        :name="view.data.value.name"
        @piece="painting || (chosen = $event)"
      />
      <div v-else-if="!problem" class="waiting" role="status">
        Opening {{ view.data.value.file_name }}: {{ doing }} …
      </div>
    </section>
    <aside v-keep-scroll class="side">
      <PaintPart
        v-if="painting && model && stage?.stage"
        :stage="stage.stage"
        :model="model"
        :part="chosen"
        :seen="painted"
        :work="paint"
        @close="painting = false"
      />
      <KeepPainted v-else-if="paint.unkept.value" class="away" :work="paint" />
      <p v-if="newer" class="bare" role="status">
        ◆ A newer revision has come in while you paint. Keep what is painted, and yours becomes the newest; or
        <button class="plain link" @click="parting(open)">load the newer one</button>.
      </p>
      <div class="head">
        <h2>Parts</h2>
        <button v-if="mayWork && bare.length" class="plain link" @click="matchNames">Dress by name</button>
      </div>
      <p v-if="bare.length" class="bare" role="status">
        ◆ Without a set or a variant: {{ listedWords(bare, 5) }}.
      </p>
      <div
        v-for="(part, at) in model?.parts ?? []"
        :key="part.name"
        class="part"
        :class="{ chosen: chosen === at }"
        @click="chosen = at"
      >
        <img
          v-if="wearing[at] && !wearing[at].own"
          class="thumb"
          width="36"
          height="36"
          alt=""
          :src="litOf(wearing[at])"
        />
        <span v-else class="thumb hole" />
        <span class="named-for">
          <WholeName :name="part.name" />
          <span class="soft">{{ part.material || 'no material' }}, {{ counted(part.triangles) }}</span>
        </span>
        <span class="acts">
          <button class="plain link soft" :aria-pressed="hidden.has(at)" @click.stop="hide(at)">
            {{ hidden.has(at) ? 'show' : 'hide' }}
          </button>
          <button class="plain link soft" @click.stop="isolate(at)">alone</button>
        </span>
        <Select
          class="wears"
          :model-value="keyOf(wearing[at] ?? null)"
          :options="choices"
          option-label="name"
          option-value="key"
          :aria-label="`What ${part.name} wears`"
          :disabled="!mayWork"
          filter
          @update:model-value="wear(part.name, $event)"
        />
        <SeenPart
          v-if="looked && chosen === at && wearing[at]?.variant"
          class="why"
          :variant="wearing[at]!.variant!"
          :edit="editOf(wearing[at]!.variant!)"
          :painted="looked.painted"
          :apart="looked.apart"
        />
        <FlattenPart
          v-if="chosen === at && wearing[at]?.variant && model"
          :key="part.name"
          class="why"
          :slug="slug"
          :variant="wearing[at]!.variant!"
          :usual="`${view.data.value.name} ${part.name}`"
          :mesh="() => partAlone(at)"
          ready
          :may-work="mayWork"
          @click.stop
        />
      </div>
      <template v-if="model">
        <div class="head"><h2>About this model</h2></div>
        <label v-if="model.sets > 1" class="note check"
          ><input type="checkbox" :checked="second" @click.prevent="parting(() => (second = !second))" /> its
          second set of texture coordinates</label
        >
        <p v-for="note in model.notes" :key="note" class="note">{{ note }}</p>
      </template>
      <Button
        v-if="mayWork"
        class="remove"
        label="Remove this model"
        severity="secondary"
        @click="parting(remove)"
      />
    </aside>
    <input
      ref="chooser"
      data-choose="model"
      type="file"
      accept=".glb,.gltf,.obj,.mtl"
      multiple
      hidden
      @change="revise"
    />
  </main>
</template>

<style scoped>
.ways {
  display: flex;
  gap: 16px;
}
.model {
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
.away {
  padding-bottom: 14px;
}
.waiting {
  flex: 1;
  background: var(--well);
  color: #000;
  display: grid;
  place-content: center;
}
.side {
  width: var(--side);
  flex: none;
  border-left: 1px solid var(--rule);
  padding: 18px 16px 40px;
  overflow: auto;
}
.part {
  display: grid;
  grid-template-columns: 36px 1fr auto;
  gap: 6px 10px;
  align-items: center;
  padding: 9px 0 9px 8px;
  margin-left: -8px;
  border-bottom: 1px solid var(--rule);
}
.chosen {
  background: var(--wash);
}
.named-for {
  display: grid;
  min-width: 0;
}
.acts {
  display: flex;
  gap: 10px;
}
.why {
  grid-column: 1 / -1;
}
.wears {
  grid-column: 1 / -1;
}
.hole {
  width: 36px;
  height: 36px;
}
.bare {
  color: var(--ochre);
  padding: 6px 0;
}
.note {
  padding: 6px 0;
}
.wrong {
  color: var(--madder);
  padding: 6px 20px;
}
.remove {
  margin-top: 22px;
}
</style>
