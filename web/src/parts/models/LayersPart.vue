<script setup lang="ts">
// The sets that a variant's layers and free textures take: by search, or dragged from the strip of the project's sets.
import Select from 'primevue/select';
import { computed, ref } from 'vue';

import type { Schemas } from '@/api/client';

type LayerView = Schemas['LayerView'];
type Worn = Schemas['WornSet'];

const props = defineProps<{
  slug: string;
  layers: readonly LayerView[];
  sets: readonly { id: number; name: string }[];
  /** Files of no set, which free textures may take. */
  files?: readonly { id: number; path: string }[];
  mayWork: boolean;
  /** What is painted on the mesh counts. */
  painted: boolean;
  /** How much each layer is of what is seen, and why one is nowhere. */
  seen: readonly Schemas['LayerSeen'][];
}>();
const emit = defineEmits<{ take: [layers: Record<string, Worn>, said: string] }>();

const over = ref('');
const strip = ref(false);
const NONE = { value: 0, text: 'no set' };
const bySet = computed(() => props.sets.map(({ id, name }) => ({ value: id, text: name })));
/** What a layer may take; of files, by their ids below zero, only what is free may take one. */
function choices(layer: LayerView) {
  const none = layer.name === first.value ? [] : [NONE];
  const groups = [{ label: 'Sets', items: [...none, ...bySet.value] }];
  const files = layer.free ? (props.files ?? []) : [];
  if (files.length)
    groups.push({
      label: 'Files of no set',
      items: files.map(({ id, path }) => ({ value: -id, text: path })),
    });
  return groups;
}
const share = computed(() => new Map(props.seen.map((entry) => [entry.layer, entry])));
/** How much of the surface it is of, and how much of that it shares: the parts of layers that blend sum to more than the whole. */
function seenWords(seen: Schemas['LayerSeen'] | undefined): string {
  const [share, shared] = [seen?.share ?? 0, seen?.shared ?? 0].map((part) => Math.round(part * 100));
  const together = shared ? `, on ${shared} % together with other layers` : '';
  return `seen on ${share} % of the surface${together}`;
}
const named = (set: number) => props.sets.find(({ id }) => id === set)?.name ?? 'the set';
const first = computed(() => props.layers[0]?.name ?? '');

function take(layer: LayerView, set: number, property = ''): void {
  const worn: Record<string, Worn> = {};
  for (const entry of props.layers) {
    if (entry.set_id !== null && entry.name !== layer.name)
      worn[entry.name] = { set: entry.set_id, property: entry.property };
  }
  const file = props.files?.find(({ id }) => id === -set);
  if (file) worn[layer.name] = { set: 0, file: file.id, property: '' };
  else if (set) worn[layer.name] = { set, property };
  const name = file?.path ?? props.sets.find(({ id }) => id === set)?.name ?? 'no set';
  emit('take', worn, `${layer.label}: ${name}`);
}
function drop(event: DragEvent, layer: LayerView): void {
  over.value = '';
  const set = Number(event.dataTransfer?.getData('text/x-set'));
  if (set && props.mayWork) take(layer, set);
}
function grab(event: DragEvent, set: number): void {
  event.dataTransfer?.setData('text/x-set', String(set));
}
/** The properties that a free texture may read, as words. */
function properties(layer: LayerView): { value: string; text: string }[] {
  return [
    { value: '', text: layer.wants.join(', ') },
    ...layer.properties.map((key) => ({
      value: key,
      text: key.replaceAll('_', ' ').replace('mask.', 'mask '),
    })),
  ];
}
</script>

<template>
  <section class="layers" aria-label="Layers">
    <div class="head">
      <h2 v-term="'layer'">Layers</h2>
      <button v-if="mayWork && sets.length > 1" type="button" class="plain link soft" @click="strip = !strip">
        {{ strip ? 'Put the sets away' : 'Drag from the sets' }}
      </button>
    </div>
    <div
      v-for="layer in layers"
      :key="layer.name"
      class="layer"
      :class="{ over: over === layer.name }"
      :data-layer="layer.name"
      @dragover.prevent="over = layer.name"
      @dragleave="over = ''"
      @drop.prevent="drop($event, layer)"
    >
      <RouterLink
        v-if="layer.set_id !== null"
        class="thumb open"
        :to="{ name: 'set', params: { slug, id: layer.set_id } }"
        :title="`Open ${named(layer.set_id)}`"
        :aria-label="`Open ${named(layer.set_id)}, the set of ${layer.label}`"
      >
        <img width="32" height="32" alt="" :src="`/api/sets/${layer.set_id}/lit`" />
      </RouterLink>
      <span v-else class="thumb none" aria-hidden="true" />
      <span class="label" :title="layer.help">{{ layer.label }}</span>
      <Select
        :model-value="layer.set_id ?? 0"
        :options="choices(layer)"
        option-label="text"
        option-value="value"
        option-group-label="label"
        option-group-children="items"
        filter
        :disabled="!mayWork"
        :aria-label="`The set of ${layer.label}`"
        @update:model-value="take(layer, Number($event), '')"
      />
      <Select
        v-if="layer.free && layer.set_id !== null && layer.properties.length"
        :model-value="layer.property"
        :options="properties(layer)"
        option-label="text"
        option-value="value"
        :disabled="!mayWork"
        :placeholder="layer.wants.join(', ')"
        :aria-label="`What ${layer.label} reads of its set`"
        @update:model-value="take(layer, layer.set_id ?? 0, String($event))"
      />
      <p v-if="layer.stands" class="stands" role="status">◆ {{ layer.stands }}</p>
      <p v-else-if="share.get(layer.name)?.reason" class="stands" role="status">
        ◆ It is seen nowhere. {{ share.get(layer.name)?.reason }} {{ share.get(layer.name)?.way_out }}
      </p>
      <p
        v-else-if="share.has(layer.name)"
        class="counts soft"
        title="Of the stage’s own shapes, which are painted in stripes"
      >
        {{ seenWords(share.get(layer.name)) }}
      </p>
    </div>
    <p v-if="painted" class="soft small">
      What is painted on the mesh decides. The stage’s own shapes are painted in four stripes, unpainted, red,
      green and blue, so that every layer is seen; your own model shows what is painted on it.
    </p>
    <div v-if="strip" class="strip" aria-label="Sets to drag">
      <span
        v-for="set in sets"
        :key="set.id"
        class="drag"
        draggable="true"
        :title="set.name"
        @dragstart="grab($event, set.id)"
      >
        <img
          width="44"
          height="44"
          :alt="set.name"
          loading="lazy"
          draggable="false"
          :src="`/api/sets/${set.id}/lit`"
        />
        <span class="small">{{ set.name }}</span>
      </span>
    </div>
  </section>
</template>

<style scoped>
.layers {
  border-bottom: 1px solid var(--rule);
  padding-bottom: 10px;
}
.layer {
  display: grid;
  grid-template-columns: 32px 90px 1fr;
  gap: 4px 10px;
  align-items: center;
  padding: 4px 0;
}
.layer.over {
  outline: 2px dashed var(--ink);
}
.layer :deep(.p-select) {
  min-width: 0;
  height: 28px;
}
.layer :deep(.p-select:nth-of-type(n + 2)) {
  grid-column: 3;
}
.none {
  width: 32px;
  height: 32px;
  background: var(--wash);
}
.stands {
  grid-column: 2 / -1;
  color: var(--ochre);
  font-size: 12px;
}
.counts {
  grid-column: 2 / -1;
  font-size: 12px;
}
.open,
.open img {
  display: block;
  width: 32px;
  height: 32px;
}
.strip {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  max-height: 190px;
  overflow: auto;
  padding: 8px 0;
}
.drag {
  width: 76px;
  cursor: grab;
  text-align: center;
}
.small {
  display: block;
  font-size: 11px;
  overflow-wrap: anywhere;
}
</style>
