<script setup lang="ts">
// All that may be said of one channel: what it holds, and what is done to it.
import Button from 'primevue/button';
import Select from 'primevue/select';
import InputText from 'primevue/inputtext';
import { computed } from 'vue';

import type { TargetChannel, Vocabulary } from '@/api/targets';

import NumberField from '@/parts/widgets/NumberField.vue';
import PickOne from '@/parts/widgets/PickOne.vue';

const props = defineProps<{
  entry: TargetChannel;
  words: Vocabulary;
  /** The names of the masks that the sample set has. */
  masks: string[];
}>();
const emit = defineEmits<{ change: [how: Partial<TargetChannel>]; close: [] }>();
const known = computed(() => props.words.properties.find(({ key }) => key === props.entry.property));
const constant = computed(() => props.entry.property === 'constant');
const choices = computed(() => [
  ...props.words.properties.map(({ key, title, letter }) => ({
    value: key,
    text: letter ? `${title}  (${letter})` : title,
  })),
  ...[...new Set([...props.masks, props.entry.property])]
    .filter((key) => key.startsWith('mask.'))
    .map((value) => ({ value, text: `Mask ${value.slice(5)}` })),
]);
const parts = computed(() =>
  (known.value?.components ?? []).map((text, value) => ({ value: String(value), text })),
);
const singles = computed(() => [
  { value: '', text: 'nothing' },
  ...props.words.properties
    .filter(
      ({ key, components }) => components.length === 1 && key !== 'constant' && key !== props.entry.property,
    )
    .map(({ key, title }) => ({ value: key, text: title.toLowerCase() })),
]);
const range = computed(() =>
  props.entry.fitted ? 'fitted' : props.entry.low !== 0 || props.entry.high !== 1 ? 'numbers' : 'plain',
);
function hold(property: string): void {
  const plain = {
    inverted: false,
    fitted: false,
    low: 0,
    high: 1,
    multiplied_by: '',
    when_absent: null,
    drop_when_absent: false,
  };
  if (property === 'constant') emit('change', { property, component: 0, constant: 0, ...plain });
  else if (property === 'normal') emit('change', { property, component: 0, constant: null, ...plain });
  else emit('change', { property, component: 0, constant: null });
}
function ranged(how: string | null): void {
  if (how === 'fitted') emit('change', { fitted: true, low: 0, high: 1 });
  else if (how === 'numbers') emit('change', { fitted: false, low: 0, high: 2 });
  else emit('change', { fitted: false, low: 0, high: 1 });
}
</script>

<template>
  <section class="form" :aria-label="`Channel ${entry.channel}`">
    <strong class="mono">{{ entry.channel }}</strong>
    <label>
      holds
      <Select
        :model-value="entry.property"
        :options="choices"
        option-label="text"
        option-value="value"
        aria-label="Property"
        filter
        @update:model-value="hold"
      />
    </label>
    <NumberField
      v-if="constant"
      label="Constant"
      :model-value="entry.constant ?? 0"
      :low="0"
      :high="1"
      @update:model-value="emit('change', { constant: $event ?? 0 })"
    />
    <PickOne
      v-if="parts.length > 1"
      label="Component"
      :choices="parts"
      :model-value="String(entry.component)"
      @update:model-value="emit('change', { component: Number($event) })"
    />
    <template v-if="!constant">
      <PickOne
        v-if="entry.property !== 'normal'"
        label="Inverted"
        :choices="[
          { value: false, text: 'as it is' },
          { value: true, text: '1 − value' },
        ]"
        :model-value="entry.inverted"
        @update:model-value="emit('change', { inverted: !!$event })"
      />
      <template v-if="entry.property !== 'normal'">
        <PickOne
          label="What is stored as 0 and 1"
          :choices="[
            { value: 'plain', text: '0 to 1' },
            { value: 'fitted', text: 'its own range' },
            { value: 'numbers', text: 'from … to …' },
          ]"
          :model-value="range"
          @update:model-value="ranged"
        />
        <template v-if="range === 'numbers'">
          <NumberField
            label="Stored as 0"
            :model-value="entry.low"
            :low="-65504"
            :high="65504"
            :soft-low="-10"
            :soft-high="10"
            @update:model-value="emit('change', { low: $event ?? 0 })"
          />
          <NumberField
            label="Stored as 1"
            :model-value="entry.high"
            :low="-65504"
            :high="65504"
            :soft-low="-10"
            :soft-high="10"
            @update:model-value="emit('change', { high: $event ?? 1 })"
          />
        </template>
        <label>
          multiplied by
          <Select
            :model-value="entry.multiplied_by"
            :options="singles"
            option-label="text"
            option-value="value"
            aria-label="Multiplied by"
            placeholder="nothing"
            @update:model-value="emit('change', { multiplied_by: $event })"
          />
        </label>
        <NumberField
          v-if="entry.multiplied_by"
          label="Strength"
          :model-value="entry.strength"
          :low="0"
          :high="1"
          @update:model-value="emit('change', { strength: $event ?? 1 })"
        />
      </template>
      <label>
        when a set lacks it
        <NumberField
          label="When absent"
          :model-value="entry.when_absent ?? null"
          :low="0"
          :high="1"
          :empty="known && ['base_colour', 'height', 'mask'].includes(known.key) ? 'not made' : 'its default'"
          @update:model-value="emit('change', { when_absent: $event })"
        />
      </label>
      <label v-if="entry.channel === 'A'" class="check">
        <input
          type="checkbox"
          :checked="entry.drop_when_absent"
          @change="emit('change', { drop_when_absent: ($event.target as HTMLInputElement).checked })"
        />
        no alpha then
      </label>
      <label>
        called
        <InputText
          class="called"
          :model-value="entry.label"
          maxlength="60"
          placeholder="as the property"
          aria-label="What the channel is called"
          @change="emit('change', { label: ($event.target as HTMLInputElement).value })"
        />
      </label>
    </template>
    <Button label="Close" severity="secondary" @click="emit('close')" />
  </section>
</template>

<style scoped>
.form {
  grid-column: 1 / -1;
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px 14px;
  margin-top: 6px;
  padding: 9px 10px;
  background: var(--wash);
}
label {
  display: flex;
  align-items: center;
  gap: 7px;
  color: var(--soft);
}
.called {
  width: 132px;
}
</style>
