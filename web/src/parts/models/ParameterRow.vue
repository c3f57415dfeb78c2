<script setup lang="ts">
// One parameter: its own value or the master's default, on a slider that shows the soft range.
import Select from 'primevue/select';
import Slider from 'primevue/slider';
import ToggleSwitch from 'primevue/toggleswitch';
import { computed } from 'vue';

import type { Parameter, Value } from '@/api/client';
import { hexOf, linearOf, type Linear } from '@/lib/values/colours';
import { stepOf } from '@/lib/values/numbers';

import NumberField from '@/parts/widgets/NumberField.vue';

const props = defineProps<{
  parameter: Parameter;
  mayWork: boolean;
  /** It stands in the place of a map, which is read while it has no value of its own. */
  map?: boolean;
}>();
/** Its own value; undefined where it follows the master, or its map. */
const model = defineModel<Value | undefined>({ required: true });
const emit = defineEmits<{ settle: [] }>();

const own = computed(() => model.value !== undefined);
const value = computed({
  get: (): Value => model.value ?? props.parameter.default,
  set: (to: Value) => (model.value = to),
});
const number = computed(() => (typeof value.value === 'number' ? value.value : 0));
const colour = computed(() =>
  Array.isArray(value.value) ? (value.value as unknown as Linear) : ([0, 0, 0] as const),
);
const low = computed(() => props.parameter.soft_low ?? 0);
const high = computed(() => props.parameter.soft_high ?? 1);
const step = computed(() => props.parameter.step || stepOf(low.value, high.value));

function slide(to: number | number[]): void {
  value.value = Array.isArray(to) ? (to[0] ?? 0) : Number(to.toFixed(6));
}
function said(to: Value): string {
  if (Array.isArray(to)) return hexOf(to as unknown as Linear);
  return typeof to === 'boolean' ? (to ? 'on' : 'off') : `${to}${props.parameter.unit}`;
}
function reset(): void {
  model.value = undefined;
  emit('settle');
}
</script>

<template>
  <div class="row" :class="{ own }" :data-parameter="parameter.name">
    <span class="label" :title="parameter.help || `Default: ${said(parameter.default)}`">{{
      parameter.label
    }}</span>
    <template v-if="map && !own">
      <span class="soft">from its map</span>
      <button
        type="button"
        class="plain link"
        :disabled="!mayWork"
        :aria-label="`Set a value for ${parameter.label}`"
        @click="((value = parameter.default), emit('settle'))"
      >
        set a value
      </button>
    </template>
    <template v-else-if="parameter.kind === 'number'">
      <Slider
        :model-value="Math.min(high, Math.max(low, number))"
        :min="low"
        :max="high"
        :step="step"
        :disabled="!mayWork"
        :aria-label="parameter.label"
        @update:model-value="slide"
        @slideend="emit('settle')"
        @keyup="emit('settle')"
      />
      <NumberField
        class="quiet"
        :model-value="number"
        :low="parameter.hard_low"
        :high="parameter.hard_high"
        :soft-low="low"
        :soft-high="high"
        :unit="parameter.unit"
        :disabled="!mayWork"
        :label="`${parameter.label}, value`"
        @update:model-value="value = $event ?? number"
        @settle="emit('settle')"
      />
    </template>
    <template v-else-if="parameter.kind === 'colour'">
      <input
        class="colour"
        type="color"
        :value="hexOf(colour)"
        :disabled="!mayWork"
        :aria-label="parameter.label"
        @input="value = linearOf(($event.target as HTMLInputElement).value)"
        @change="emit('settle')"
      />
      <span class="mono">{{ hexOf(colour) }}</span>
    </template>
    <Select
      v-else-if="parameter.kind === 'choice'"
      class="choice"
      :model-value="String(value)"
      :options="parameter.choices"
      :disabled="!mayWork"
      :aria-label="parameter.label"
      @update:model-value="(to: string) => ((value = to), emit('settle'))"
    />
    <span v-else-if="Array.isArray(value)" class="several">
      <NumberField
        v-for="(part, at) in value"
        :key="at"
        :model-value="part"
        :low="parameter.hard_low"
        :high="parameter.hard_high"
        :soft-low="low"
        :soft-high="high"
        :disabled="!mayWork"
        :label="`${parameter.label}, ${at + 1}`"
        @update:model-value="
          value = (value as number[]).map((old, index) => (index === at ? ($event ?? old) : old))
        "
        @settle="emit('settle')"
      />
    </span>
    <template v-else>
      <ToggleSwitch
        :model-value="value === true"
        :disabled="!mayWork"
        :aria-label="parameter.label"
        @update:model-value="(to: boolean) => ((value = to), emit('settle'))"
      />
      <span class="soft">{{ value === true ? 'on' : 'off' }}</span>
    </template>
    <button
      class="plain reset"
      :disabled="!own || !mayWork"
      :title="own ? (map ? 'Back to its map' : 'Back to the master’s default') : ''"
      :aria-label="`Reset ${parameter.label}`"
      @click="reset"
    >
      {{ own ? '↺' : '' }}
    </button>
  </div>
</template>

<style scoped>
.row {
  display: grid;
  grid-template-columns: 118px 1fr 76px 14px;
  align-items: center;
  gap: 12px;
  min-height: 28px;
}
.label {
  color: var(--soft);
}
.own .label {
  color: var(--ink);
  font-weight: 650;
}
.colour {
  width: 52px;
  height: 20px;
  padding: 0;
  border: 0;
  background: none;
}
.choice,
.several {
  grid-column: span 2;
  display: flex;
  gap: 4px;
}
.reset {
  color: var(--soft);
  text-align: center;
}
.quiet {
  --number-width: 76px;
}
.quiet :deep(input:not(:hover, :focus, [aria-invalid])) {
  border-color: transparent;
  background: none;
}
</style>
