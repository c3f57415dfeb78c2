<script setup lang="ts">
// What a sheet has beside its rows: what the surface is given, layers, textures, and parameters.
import InputText from 'primevue/inputtext';
import Select from 'primevue/select';
import ToggleSwitch from 'primevue/toggleswitch';
import { computed } from 'vue';

import type { Schemas } from '@/api/client';
import { hexOf, linearOf, type Linear } from '@/lib/values/colours';
import {
  fits,
  freeName,
  namedAbove,
  offered,
  readProperty,
  rename,
  renameLayer,
  type Sheet,
  type Words,
} from './sheet';
import { sheetEdits } from './sheetedits';

import ActList from '@/parts/widgets/ActList.vue';
import NumberField from '@/parts/widgets/NumberField.vue';
import type { Offer } from '@/parts/widgets/offer';
import PickField from '@/parts/widgets/PickField.vue';
import SheetParameters from './SheetParameters.vue';

const props = defineProps<{
  sheet: Sheet;
  words: Words;
  kinds: Record<string, string>;
  problems: readonly Schemas['MasterProblem'][];
  cost: Schemas['MasterCost'] | null;
  editable: boolean;
}>();
const emit = defineEmits<{ change: [how: (sheet: Sheet) => void] }>();

const MODES = ['as the target', 'solid', 'cut-out', 'blended'].map((value) => ({ value, text: value }));
const ends = computed(() => namedAbove(props.sheet, props.words, props.kinds, props.sheet.strands.length));
const missing = computed(() =>
  props.words.given
    .filter(({ key }) => !(key in props.sheet.surface))
    .map(({ key, title }) => ({ value: key, text: title })),
);
const layerNames = computed(() => [
  { value: '', text: 'free' },
  ...props.sheet.layers.map(({ name, label }) => ({ value: name, text: label })),
]);

const { wrongAt, put, drop } = sheetEdits(
  (how) => emit('change', how),
  () => props.problems,
);
function called(from: string, typed: string): void {
  if (typed.trim() === from) return;
  emit('change', (sheet) => rename(sheet, from, freeName(sheet, typed, props.words)));
}
function calledLayer(from: string, typed: string): void {
  const taken = new Set(props.sheet.layers.map(({ name }) => name));
  const to = freeName({ ...props.sheet, strands: [], textures: [], parameters: [] }, typed);
  if (to !== from && !taken.has(to)) emit('change', (sheet) => renameLayer(sheet, from, to));
}
function addLayer(): void {
  emit('change', (sheet) => {
    const taken = new Set(sheet.layers.map(({ name }) => name));
    let number = sheet.layers.length + 1;
    while (taken.has(`layer ${number}`)) number++;
    sheet.layers.push({ name: `layer ${number}`, label: `Layer ${number}`, help: '' });
  });
}
function addTexture(): void {
  emit('change', (sheet) => {
    const layer = sheet.layers.at(-1)?.name ?? '';
    const has = new Set(
      sheet.textures.filter((texture) => texture.layer === layer).map(({ property }) => property),
    );
    const next = props.words.read.find(({ key }) => !has.has(key)) ?? props.words.read[0];
    if (!next) return;
    const prefix = sheet.layers.length > 1 ? `${layer} ` : '';
    const name = freeName(sheet, `${prefix}${next.title} map`, props.words);
    sheet.textures.push({ name, property: next.key, layer, label: '', group: '', help: '' });
  });
}
function constant(at: number, on: boolean): void {
  const kind = props.words.read.find(({ key }) => key === props.sheet.textures[at]?.property)?.kind;
  put('textures', at, { constant: on ? (kind === 'colour' ? [0.5, 0.5, 0.5] : 0.5) : null });
}
function give(key: string, name: string): void {
  emit('change', (sheet) => {
    const rest = Object.entries(sheet.surface).filter(([other]) => other !== key);
    sheet.surface = Object.fromEntries(name ? [...rest, [key, name]] : rest);
  });
}
function giveable(kind: string, typed: string): Offer[] {
  const slot = { name: '', kind, default: null, least: 2 };
  return offered(
    ends.value.filter((entry) => entry.from !== 'texture' && (entry.kind === '' || fits(slot, entry.kind))),
    slot,
    typed,
  ).map(({ name, said }) => ({ value: name, text: name, said }));
}
const isColour = (value: unknown) => Array.isArray(value);
</script>

<template>
  <section class="part" aria-label="Surface">
    <h2>Surface</h2>
    <div v-for="(from, key) in sheet.surface" :key="key" class="line given">
      <span>{{ words.given.find((entry) => entry.key === key)?.title ?? key }}</span>
      <PickField
        :text="from"
        :label="`What gives ${words.given.find((entry) => entry.key === key)?.title ?? key}`"
        :editable="editable"
        :wrong="wrongAt('surface', String(key))"
        :offers="(typed) => giveable(words.given.find((entry) => entry.key === key)?.kind ?? '', typed)"
        @take="give(String(key), $event)"
        @typed="give(String(key), $event.trim())"
      />
      <button
        v-if="editable"
        type="button"
        class="plain soft"
        :aria-label="`Give no ${key}`"
        @click="give(String(key), '')"
      >
        ✕
      </button>
    </div>
    <ActList
      v-if="editable && missing.length"
      class="give"
      words="Give another property"
      :options="missing"
      @choose="give($event, sheet.strands.at(-1)?.name ?? '')"
    />
    <div class="line">
      <label class="soft">
        Opacity
        <Select
          :model-value="sheet.opacity.mode"
          :options="MODES"
          option-label="text"
          option-value="value"
          :disabled="!editable"
          aria-label="What opacity is taken for"
          @update:model-value="emit('change', (draft) => void (draft.opacity.mode = $event))"
        />
      </label>
      <label v-if="sheet.opacity.mode === 'cut-out'" class="soft">
        cut at
        <NumberField
          :model-value="sheet.opacity.threshold"
          :soft-low="0"
          :soft-high="1"
          :disabled="!editable"
          label="Where opacity is cut"
          @update:model-value="emit('change', (draft) => void (draft.opacity.threshold = $event ?? 0.5))"
        />
      </label>
      <label class="soft">
        two-sided
        <ToggleSwitch
          :model-value="sheet.opacity.two_sided"
          :disabled="!editable"
          aria-label="Seen from both sides"
          @update:model-value="emit('change', (draft) => void (draft.opacity.two_sided = $event))"
        />
      </label>
    </div>
  </section>

  <section class="part" aria-label="Layers">
    <h2>Layers <span class="soft small">each takes a set</span></h2>
    <div v-for="(layer, at) in sheet.layers" :key="at" class="line layer">
      <PickField
        :text="layer.name"
        label="Name of the layer"
        look="mono bare"
        :editable="editable"
        :offers="() => []"
        :wrong="wrongAt('layers', at)"
        @typed="calledLayer(layer.name, $event)"
      />
      <InputText
        :model-value="layer.label"
        :disabled="!editable"
        maxlength="60"
        :aria-label="`Label of ${layer.name}`"
        @change="put('layers', at, { label: ($event.target as HTMLInputElement).value || layer.name })"
      />
      <button
        v-if="editable"
        type="button"
        class="plain soft"
        :aria-label="`Remove ${layer.name}`"
        @click="drop('layers', at)"
      >
        ✕
      </button>
    </div>
    <button v-if="editable" type="button" class="plain link" @click="addLayer">Add a layer</button>
  </section>

  <section class="part" aria-label="Textures">
    <h2>Textures <span class="soft small">what is read of a layer’s set, or of a free one</span></h2>
    <div v-for="(texture, at) in sheet.textures" :key="at" class="line texture">
      <PickField
        :text="texture.name"
        label="Name of the texture"
        look="mono bare"
        :editable="editable"
        :offers="() => []"
        :wrong="wrongAt('textures', at)"
        @typed="called(texture.name, $event)"
      />
      <Select
        :model-value="texture.property"
        :options="words.read"
        option-label="title"
        option-value="key"
        :disabled="!editable"
        :aria-label="`What ${texture.name} reads`"
        @update:model-value="emit('change', (sheet) => readProperty(sheet, at, $event, words))"
      />
      <Select
        :model-value="texture.layer"
        :options="layerNames"
        option-label="text"
        option-value="value"
        :disabled="!editable"
        placeholder="free"
        :aria-label="`The layer of ${texture.name}`"
        @update:model-value="put('textures', at, { layer: $event })"
      />
      <label
        class="soft small"
        title="A variant may set a value in the place of the map; it stands where there is no map."
      >
        or
        <input
          type="checkbox"
          :checked="texture.constant != null"
          :disabled="!editable || texture.property === 'normal'"
          :aria-label="`${texture.name} may be a constant`"
          @change="constant(at, ($event.target as HTMLInputElement).checked)"
        />
        <input
          v-if="isColour(texture.constant)"
          type="color"
          :value="hexOf(texture.constant as unknown as Linear)"
          :disabled="!editable"
          :aria-label="`Constant of ${texture.name}`"
          @change="
            put('textures', at, { constant: [...linearOf(($event.target as HTMLInputElement).value)] })
          "
        />
        <NumberField
          v-else-if="texture.constant != null"
          :model-value="Number(texture.constant)"
          :soft-low="0"
          :soft-high="1"
          :disabled="!editable"
          :label="`Constant of ${texture.name}`"
          @update:model-value="put('textures', at, { constant: $event ?? 0 })"
        />
      </label>
      <button
        v-if="editable"
        type="button"
        class="plain soft"
        :aria-label="`Remove ${texture.name}`"
        @click="drop('textures', at)"
      >
        ✕
      </button>
    </div>
    <button v-if="editable" type="button" class="plain link" @click="addTexture">Add a texture</button>
  </section>

  <SheetParameters
    :sheet="sheet"
    :words="words"
    :problems="problems"
    :cost="cost"
    :editable="editable"
    @change="emit('change', $event)"
  />
</template>

<style scoped src="./sheetlines.css"></style>
