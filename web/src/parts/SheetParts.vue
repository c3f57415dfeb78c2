<script setup lang="ts">
// What a sheet has beside its rows: layers, textures, parameters, and what the surface is given.
import InputText from 'primevue/inputtext';
import Select from 'primevue/select';
import ToggleSwitch from 'primevue/toggleswitch';
import { computed, ref } from 'vue';

import type { Schemas } from '@/api/client';
import { hexOf, linearOf, type Linear } from '@/lib/colours';
import type { Offer } from '@/lib/offers';
import {
  fits,
  freeName,
  namedAbove,
  offered,
  rename,
  renameLayer,
  type Sheet,
  type Words,
} from '@/lib/sheet';

import NumberField from './NumberField.vue';
import PickField from './PickField.vue';

type Parameter = Sheet['parameters'][number];
type Kind = Parameter['kind'];

const props = defineProps<{
  sheet: Sheet;
  words: Words;
  kinds: Record<string, string>;
  problems: readonly Schemas['MasterProblem'][];
  editable: boolean;
}>();
const emit = defineEmits<{ change: [how: (sheet: Sheet) => void] }>();

const opened = ref('');
const KINDS: { value: Kind; text: string }[] = [
  { value: 'number', text: 'number' },
  { value: 'colour', text: 'colour' },
  { value: 'switch', text: 'switch' },
  { value: 'choice', text: 'choice' },
  { value: 'two', text: 'two numbers' },
  { value: 'three', text: 'three numbers' },
  { value: 'four', text: 'four numbers' },
];
const BEGINNINGS: Record<Kind, Parameter['default']> = {
  number: 0.5,
  colour: [1, 1, 1],
  switch: false,
  choice: 'first',
  two: [0, 0],
  three: [0, 0, 0],
  four: [0, 0, 0, 0],
};
const MODES = ['as the target', 'solid', 'cut-out', 'blended'].map((value) => ({ value, text: value }));
const ends = computed(() => namedAbove(props.sheet, props.words, props.kinds, props.sheet.strands.length));
const missing = computed(() => props.words.given.filter(({ key }) => !(key in props.sheet.surface)));
const layerNames = computed(() => [
  { value: '', text: 'free' },
  ...props.sheet.layers.map(({ name, label }) => ({ value: name, text: label })),
]);

function wrongAt(...place: (string | number)[]): string {
  const found = props.problems.find((problem) => place.every((part, at) => problem.place[at] === part));
  return found ? `${found.message} ${found.way_out}` : '';
}
function put<K extends 'parameters' | 'textures' | 'layers'>(
  list: K,
  at: number,
  what: Partial<Sheet[K][number]>,
): void {
  emit('change', (sheet) => void Object.assign(sheet[list][at] ?? {}, what));
}
function drop(list: 'parameters' | 'textures' | 'layers', at: number): void {
  emit('change', (sheet) => void sheet[list].splice(at, 1));
}
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
      sheet.textures.filter((entry) => entry.layer === layer).map(({ property }) => property),
    );
    const next = props.words.read.find(({ key }) => !has.has(key)) ?? props.words.read[0];
    if (!next) return;
    const prefix = sheet.layers.length > 1 ? `${layer} ` : '';
    const name = freeName(sheet, `${prefix}${next.title} map`, props.words);
    sheet.textures.push({ name, property: next.key, layer, label: '', group: '', help: '' });
  });
}
function addParameter(): void {
  emit('change', (sheet) => {
    const name = freeName(sheet, 'amount', props.words);
    const group = sheet.parameters.at(-1)?.group ?? '';
    sheet.parameters.push({
      ...{ name, label: name.charAt(0).toUpperCase() + name.slice(1), group, kind: 'number', default: 0.5 },
      ...{ soft_low: 0, soft_high: 1, step: 0, unit: '', help: '', choices: [], only_with: '', only_at: '' },
      structural: false,
    });
    opened.value = name;
  });
}
function turnInto(at: number, kind: Kind): void {
  const choices = kind === 'choice' ? ['first', 'second'] : [];
  put('parameters', at, { kind, default: BEGINNINGS[kind], choices, structural: false });
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
    <Select
      v-if="editable && missing.length"
      :model-value="null"
      :options="missing"
      option-label="title"
      option-value="key"
      placeholder="Give another property"
      aria-label="Give another property"
      @update:model-value="give(String($event), sheet.strands.at(-1)?.name ?? '')"
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
        @update:model-value="put('textures', at, { property: $event, constant: null })"
      />
      <Select
        :model-value="texture.layer"
        :options="layerNames"
        option-label="text"
        option-value="value"
        :disabled="!editable"
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

  <section class="part" aria-label="Parameters">
    <h2>Parameters <span class="soft small">what a variant may set</span></h2>
    <div v-for="(parameter, at) in sheet.parameters" :key="at" class="parameter">
      <div class="line texture">
        <PickField
          :text="parameter.name"
          label="Name of the parameter"
          look="mono bare"
          :editable="editable"
          :offers="() => []"
          :wrong="wrongAt('parameters', at)"
          @typed="called(parameter.name, $event)"
        />
        <Select
          :model-value="parameter.kind"
          :options="KINDS"
          option-label="text"
          option-value="value"
          :disabled="!editable"
          :aria-label="`Kind of ${parameter.name}`"
          @update:model-value="turnInto(at, $event)"
        />
        <span class="value">
          <input
            v-if="parameter.kind === 'colour'"
            type="color"
            :value="hexOf(parameter.default as unknown as Linear)"
            :disabled="!editable"
            :aria-label="`Default of ${parameter.name}`"
            @change="
              put('parameters', at, { default: [...linearOf(($event.target as HTMLInputElement).value)] })
            "
          />
          <NumberField
            v-else-if="parameter.kind === 'number'"
            :model-value="Number(parameter.default)"
            :soft-low="parameter.soft_low"
            :soft-high="parameter.soft_high"
            :disabled="!editable"
            :label="`Default of ${parameter.name}`"
            @update:model-value="put('parameters', at, { default: $event ?? 0 })"
          />
          <ToggleSwitch
            v-else-if="parameter.kind === 'switch'"
            :model-value="parameter.default === true"
            :disabled="!editable"
            :aria-label="`Default of ${parameter.name}`"
            @update:model-value="(to: boolean) => put('parameters', at, { default: to })"
          />
          <Select
            v-else-if="parameter.kind === 'choice'"
            :model-value="String(parameter.default)"
            :options="parameter.choices"
            :disabled="!editable"
            :aria-label="`Default of ${parameter.name}`"
            @update:model-value="put('parameters', at, { default: $event })"
          />
          <span v-else class="mono">{{ parameter.default }}</span>
        </span>
        <button
          type="button"
          class="plain soft"
          :aria-expanded="opened === parameter.name"
          :aria-label="`More of ${parameter.name}`"
          @click="opened = opened === parameter.name ? '' : parameter.name"
        >
          {{ opened === parameter.name ? '▾' : '▸' }}
        </button>
        <button
          v-if="editable"
          type="button"
          class="plain soft"
          :aria-label="`Remove ${parameter.name}`"
          @click="drop('parameters', at)"
        >
          ✕
        </button>
      </div>
      <p v-if="wrongAt('parameters', at)" class="problem" role="alert">✕ {{ wrongAt('parameters', at) }}</p>
      <div v-if="opened === parameter.name" class="more">
        <label class="soft">
          label
          <InputText
            :model-value="parameter.label"
            :disabled="!editable"
            maxlength="60"
            @change="
              put('parameters', at, { label: ($event.target as HTMLInputElement).value || parameter.name })
            "
          />
        </label>
        <label class="soft">
          group
          <InputText
            :model-value="parameter.group"
            :disabled="!editable"
            maxlength="60"
            @change="put('parameters', at, { group: ($event.target as HTMLInputElement).value })"
          />
        </label>
        <label class="soft wide">
          help
          <InputText
            :model-value="parameter.help"
            :disabled="!editable"
            maxlength="300"
            @change="put('parameters', at, { help: ($event.target as HTMLInputElement).value })"
          />
        </label>
        <template v-if="['number', 'two', 'three', 'four'].includes(parameter.kind)">
          <label
            v-for="[field, said] in [
              ['soft_low', 'slider from'],
              ['soft_high', 'slider to'],
              ['hard_low', 'hard minimum'],
              ['hard_high', 'hard maximum'],
            ] as const"
            :key="field"
            class="soft"
          >
            {{ said }}
            <NumberField
              :model-value="parameter[field] ?? null"
              :empty="field.startsWith('hard') ? 'none' : undefined"
              :soft-low="parameter.soft_low"
              :soft-high="parameter.soft_high"
              :disabled="!editable"
              :label="`${parameter.name}, ${said}`"
              @update:model-value="
                put('parameters', at, { [field]: $event ?? (field.startsWith('hard') ? null : 0) })
              "
            />
          </label>
          <label class="soft">
            unit
            <InputText
              :model-value="parameter.unit"
              :disabled="!editable"
              maxlength="12"
              @change="put('parameters', at, { unit: ($event.target as HTMLInputElement).value })"
            />
          </label>
        </template>
        <label v-if="parameter.kind === 'choice'" class="soft wide">
          words, with commas between
          <InputText
            :model-value="parameter.choices.join(', ')"
            :disabled="!editable"
            @change="
              put('parameters', at, {
                choices: ($event.target as HTMLInputElement).value
                  .split(',')
                  .map((word) => word.trim())
                  .filter(Boolean),
              })
            "
          />
        </label>
        <label v-if="['switch', 'choice'].includes(parameter.kind)" class="soft">
          structural
          <ToggleSwitch
            :model-value="parameter.structural"
            :disabled="!editable"
            title="It changes the shader itself: each position is compiled by itself, and costs nothing where it is off."
            @update:model-value="(to: boolean) => put('parameters', at, { structural: to })"
          />
        </label>
        <label class="soft">
          only while on
          <Select
            :model-value="parameter.only_with"
            :options="[
              { value: '', text: 'always' },
              ...sheet.parameters
                .filter((entry) => entry.kind === 'switch' && entry.name !== parameter.name)
                .map((entry) => ({ value: entry.name, text: entry.label })),
            ]"
            option-label="text"
            option-value="value"
            :disabled="!editable"
            @update:model-value="put('parameters', at, { only_with: $event })"
          />
        </label>
      </div>
    </div>
    <button v-if="editable" type="button" class="plain link" @click="addParameter">Add a parameter</button>
  </section>
</template>

<style scoped>
.part {
  padding: 10px 0 12px;
  border-bottom: 1px solid var(--rule);
}
h2 {
  font-weight: 600;
  padding-bottom: 4px;
}
.small {
  font-size: 12px;
  font-weight: 400;
}
.line {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px;
  min-height: 30px;
}
.given {
  display: grid;
  grid-template-columns: 130px 1fr 20px;
}
.layer {
  display: grid;
  grid-template-columns: 130px 1fr 20px;
}
.line.texture > :first-child {
  flex: 1 1 110px;
}
.value {
  display: inline-flex;
  justify-content: flex-end;
}
.more {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 6px 12px;
  padding: 4px 0 10px 12px;
}
.more label {
  display: flex;
  align-items: center;
  justify-content: space-between;
  gap: 8px;
  font-size: 12px;
}
.more .wide {
  grid-column: 1 / -1;
}
.part :deep(.p-inputtext) {
  width: 120px;
  height: 26px;
  padding: 0 6px;
}
.more .wide :deep(.p-inputtext) {
  width: 250px;
}
.part :deep(.p-select) {
  height: 26px;
  max-width: 130px;
}
.problem {
  color: var(--madder);
  font-size: 12px;
}
input[type='color'] {
  width: 34px;
  height: 18px;
  padding: 0;
  border: 0;
  background: none;
}
</style>
