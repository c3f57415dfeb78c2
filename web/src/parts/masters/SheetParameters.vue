<script setup lang="ts">
// The parameters of a sheet: what a variant may set, in the order in which it is offered.
import InputText from 'primevue/inputtext';
import Select from 'primevue/select';
import ToggleSwitch from 'primevue/toggleswitch';
import { computed, ref } from 'vue';

import type { Schemas } from '@/api/client';
import { hexOf, linearOf, type Linear } from '@/lib/values/colours';
import { freeName, labelOf, rename, type Sheet, type Words } from './sheet';
import { sheetEdits } from './sheetedits';

import NumberField from '@/parts/widgets/NumberField.vue';
import PickField from '@/parts/widgets/PickField.vue';

type Parameter = Sheet['parameters'][number];
type Kind = Parameter['kind'];

const props = defineProps<{
  sheet: Sheet;
  words: Words;
  problems: readonly Schemas['MasterProblem'][];
  cost: Schemas['MasterCost'] | null;
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
const { wrongAt, put, drop, move } = sheetEdits(
  (how) => emit('change', how),
  () => props.problems,
);
const dragged = ref(-1);
function land(at: number): void {
  if (dragged.value >= 0 && dragged.value !== at) move('parameters', dragged.value, at);
  dragged.value = -1;
}
/** What each structural switch saves where it is off, or on. */
const savings = computed(
  () =>
    new Map(
      (props.cost?.switches ?? []).map(({ parameter, on, off }) => {
        const [less, more, word] = on.arithmetic < off.arithmetic ? [on, off, 'On'] : [off, on, 'Off'];
        const reads = more.reads - less.reads;
        return [
          parameter,
          `${word}, it saves ${reads} texture ${reads === 1 ? 'read' : 'reads'} and ${more.arithmetic - less.arithmetic} steps.`,
        ] as const;
      }),
    ),
);
function called(from: string, typed: string): void {
  if (typed.trim() === from) return;
  emit('change', (sheet) => rename(sheet, from, freeName(sheet, typed, props.words)));
}
const numbersOf = (parameter: Parameter) =>
  Array.isArray(parameter.default) ? (parameter.default as number[]) : [];
function setNumber(at: number, part: number, to: number): void {
  const parameter = props.sheet.parameters[at];
  if (parameter)
    put('parameters', at, {
      default: numbersOf(parameter).map((held, index) =>
        index === part ? to : held,
      ) as Parameter['default'],
    });
}
function addParameter(): void {
  emit('change', (sheet) => {
    const name = freeName(sheet, 'amount', props.words);
    const group = sheet.parameters.at(-1)?.group ?? '';
    sheet.parameters.push({
      ...{ name, label: labelOf(name), group, kind: 'number', default: 0.5 },
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
</script>

<template>
  <section class="part" aria-label="Parameters">
    <h2>
      Parameters <span class="soft small">what a variant may set; drag, or alt ↑ ↓, puts them in order</span>
    </h2>
    <div
      v-for="(parameter, at) in sheet.parameters"
      :key="at"
      class="parameter"
      :draggable="editable && opened !== parameter.name"
      @dragstart="dragged = at"
      @dragover.prevent
      @drop.prevent="land(at)"
      @keydown.alt.up.prevent="editable && move('parameters', at, at - 1)"
      @keydown.alt.down.prevent="editable && move('parameters', at, at + 1)"
    >
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
          <template v-else>
            <NumberField
              v-for="(number, part) in numbersOf(parameter)"
              :key="part"
              :model-value="number"
              :soft-low="parameter.soft_low"
              :soft-high="parameter.soft_high"
              :disabled="!editable"
              :label="`Default of ${parameter.name}, number ${part + 1}`"
              @update:model-value="setNumber(at, part, $event ?? 0)"
            />
          </template>
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
        <p v-if="parameter.structural && savings.get(parameter.name)" class="soft wide">
          {{ savings.get(parameter.name) }}
        </p>
        <label class="soft">
          only while on
          <Select
            :model-value="parameter.only_with"
            placeholder="always"
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

<style scoped src="./sheetlines.css"></style>
<style scoped>
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
.more .wide :deep(.p-inputtext) {
  width: 250px;
}
</style>
