<script setup lang="ts">
// What an output is written, stored and delivered as, how large it is, and of which sets it is made.
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import Select from 'primevue/select';
import { computed } from 'vue';

import { FORMATS, type TextureFormat } from '@/api/formats.generated';
import type { TargetOutput, Vocabulary } from '@/api/targets';
import { bitsPerTexel, storing, usualFormat } from '@/lib/values/formats';
import { FILTERS, LAYOUTS, inLayout, layoutOf } from './targetwords';

import NumberField from '@/parts/widgets/NumberField.vue';
import PickOne from '@/parts/widgets/PickOne.vue';

const props = defineProps<{ output: TargetOutput; words: Vocabulary; first: boolean; last: boolean }>();
const emit = defineEmits<{
  change: [how: Partial<TargetOutput>];
  act: [what: 'up' | 'down' | 'copy' | 'remove'];
}>();
const files = computed(() => props.words.files.map(({ key, title }) => ({ value: key, text: title })));
const depths = computed(() =>
  (props.words.files.find(({ key }) => key === props.output.file_format)?.samples ?? []).map((value) => ({
    value,
    text: props.words.samples[value] ?? value,
  })),
);
const formats = computed(() =>
  storing(props.output.sample).map((value) => {
    const { title, channels } = FORMATS[value];
    return { value, text: `${title}  ${channels}, ${bitsPerTexel(value)} bits a texel` };
  }),
);
const withAlpha = computed(() => [{ value: null, text: 'the same' }, ...formats.value]);
const kinds = computed(() =>
  props.words.properties
    .filter(({ key }) => key !== 'constant')
    .map(({ key, title }) => ({ value: key, text: title })),
);
const hasAlpha = computed(() => props.output.channels.some(({ channel }) => channel === 'A'));
const enlarges = computed(() => props.output.size);

/** A change of file, depth or encoding takes along what would not go with it any more. */
function change(how: Partial<TargetOutput>): void {
  const next = { ...props.output, ...how };
  const held = props.words.files.find(({ key }) => key === next.file_format)?.samples ?? [];
  if (!held.includes(next.sample)) next.sample = held[0] as TargetOutput['sample'];
  if (next.sample === 'f16' || next.sample === 'f32') next.encoding = 'linear';
  const fits = (key: TextureFormat): boolean => FORMATS[key].takes.includes(next.sample);
  if (!fits(next.storage.format)) next.storage = { ...next.storage, format: usualFormat(next.sample) };
  if (next.format_with_alpha && !fits(next.format_with_alpha)) next.format_with_alpha = null;
  // The flag follows the encoding, where the format has one.
  if (how.encoding || how.sample || how.file_format)
    next.storage = { ...next.storage, srgb: next.encoding === 'srgb' };
  if (!FORMATS[next.storage.format].srgb) next.storage = { ...next.storage, srgb: false };
  emit('change', next);
}
function store(how: Partial<TargetOutput['storage']>): void {
  change({ storage: { ...props.output.storage, ...how } });
}
function size(how: Partial<TargetOutput['size']>): void {
  emit('change', { size: { ...props.output.size, ...how } });
}
function among(list: 'only_with' | 'only_without', key: string, on: boolean): void {
  const held = props.output[list].filter((entry) => entry !== key);
  emit('change', { [list]: on ? [...held, key] : held });
}
</script>

<template>
  <section class="form" :aria-label="`What ${output.title} is written and stored as`">
    <div class="line">
      <span class="of">Name</span>
      <InputText
        :model-value="output.title"
        aria-label="Title"
        maxlength="80"
        @change="emit('change', { title: ($event.target as HTMLInputElement).value })"
      />
      <label
        >suffix
        <InputText
          class="mono short"
          :model-value="output.suffix"
          aria-label="Suffix"
          maxlength="32"
          placeholder="none"
          @change="emit('change', { suffix: ($event.target as HTMLInputElement).value.trim() })"
        />
      </label>
      <label
        >key
        <InputText
          class="mono short"
          :model-value="output.key"
          aria-label="Key"
          maxlength="32"
          @change="emit('change', { key: ($event.target as HTMLInputElement).value.trim() })"
        />
      </label>
      <span class="space" />
      <Button label="Up" severity="secondary" :disabled="first" @click="emit('act', 'up')" />
      <Button label="Down" severity="secondary" :disabled="last" @click="emit('act', 'down')" />
      <Button label="Copy" severity="secondary" @click="emit('act', 'copy')" />
      <Button label="Remove" severity="secondary" @click="emit('act', 'remove')" />
    </div>
    <div class="line">
      <span class="of">Written as</span>
      <Select
        :model-value="output.file_format"
        :options="files"
        option-label="text"
        option-value="value"
        aria-label="File format"
        @update:model-value="change({ file_format: $event })"
      />
      <Select
        :model-value="output.sample"
        :options="depths"
        option-label="text"
        option-value="value"
        aria-label="Depth"
        @update:model-value="change({ sample: $event })"
      />
      <PickOne
        label="Encoding"
        :choices="[
          { value: 'srgb', text: 'sRGB' },
          { value: 'linear', text: 'linear' },
        ]"
        :model-value="output.encoding"
        @update:model-value="change({ encoding: $event ?? 'linear' })"
      />
      <PickOne
        label="Channels"
        mono
        :choices="LAYOUTS.map((value) => ({ value, text: value }))"
        :model-value="layoutOf(output)"
        @update:model-value="emit('change', { channels: inLayout(output.channels, $event ?? 'RGB') })"
      />
      <NumberField
        v-if="output.file_format === 'jpeg'"
        label="Quality"
        :model-value="output.quality"
        :low="1"
        :high="100"
        whole
        @update:model-value="emit('change', { quality: $event ?? 95 })"
      />
      <label
        class="check"
        title="Where a map has more levels than the output, what is lost is spread, so that no bands appear."
      >
        <input
          type="checkbox"
          :checked="output.dither"
          @change="emit('change', { dither: ($event.target as HTMLInputElement).checked })"
        />
        dithered
      </label>
    </div>
    <div class="line">
      <span class="of">Stored as</span>
      <Select
        :model-value="output.storage.format"
        :options="formats"
        option-label="text"
        option-value="value"
        aria-label="Storage format"
        @update:model-value="store({ format: $event })"
      />
      <label class="check"
        ><input
          type="checkbox"
          :checked="output.storage.srgb"
          @change="store({ srgb: ($event.target as HTMLInputElement).checked })"
        />
        sRGB flag</label
      >
      <label class="check"
        ><input
          type="checkbox"
          :checked="output.storage.mips"
          @change="store({ mips: ($event.target as HTMLInputElement).checked })"
        />
        mips</label
      >
      <PickOne
        v-if="output.storage.mips"
        label="Mip filter"
        :choices="FILTERS"
        :model-value="output.mip_filter"
        @update:model-value="emit('change', { mip_filter: $event ?? 'box' })"
      />
      <label v-if="hasAlpha"
        >with alpha
        <Select
          :model-value="output.format_with_alpha ?? null"
          :options="withAlpha"
          option-label="text"
          option-value="value"
          aria-label="Storage format with alpha"
          @update:model-value="change({ format_with_alpha: $event })"
        />
      </label>
      <label
        >delivered
        <PickOne
          label="Container"
          :choices="[
            { value: 'dds', text: 'DDS' },
            { value: 'file', text: 'as built' },
          ]"
          :model-value="output.container"
          @update:model-value="emit('change', { container: $event ?? 'dds' })"
        />
      </label>
    </div>
    <div class="line">
      <span class="of">Size</span>
      <label
        >of the
        <PickOne
          label="Which source counts"
          :choices="[
            { value: 'largest', text: 'largest' },
            { value: 'smallest', text: 'smallest' },
          ]"
          :model-value="enlarges.among"
          @update:model-value="size({ among: $event ?? 'largest' })"
        />
        source
      </label>
      <label
        >times
        <NumberField
          label="Scale"
          :model-value="output.size.scale"
          :low="1 / 64"
          :high="4"
          @update:model-value="size({ scale: $event ?? 1 })"
      /></label>
      <label
        >from
        <NumberField
          label="Smallest edge"
          :model-value="output.size.smallest"
          :low="1"
          :high="16384"
          whole
          @update:model-value="size({ smallest: $event ?? 1 })"
      /></label>
      <label
        >to
        <NumberField
          label="Largest edge"
          :model-value="output.size.largest"
          :low="1"
          :high="16384"
          whole
          @update:model-value="size({ largest: $event ?? 16384 })"
      /></label>
      <label class="check"
        ><input
          type="checkbox"
          :checked="output.size.power_of_two"
          @change="size({ power_of_two: ($event.target as HTMLInputElement).checked })"
        />
        power of two</label
      >
      <label class="check"
        ><input
          type="checkbox"
          :checked="output.size.multiple_of_four"
          @change="size({ multiple_of_four: ($event.target as HTMLInputElement).checked })"
        />
        multiple of four</label
      >
      <label class="check"
        ><input
          type="checkbox"
          :checked="output.size.square"
          @change="size({ square: ($event.target as HTMLInputElement).checked })"
        />
        square</label
      >
      <label
        >resampled by
        <PickOne
          label="Resampling filter"
          :choices="FILTERS"
          :model-value="output.resampling"
          @update:model-value="emit('change', { resampling: $event ?? 'mitchell' })"
      /></label>
    </div>
    <div v-if="hasAlpha" class="line">
      <span class="of">Opacity</span>
      <PickOne
        label="Opacity meant as"
        :choices="[
          { value: 'as found', text: 'as the map is' },
          { value: 'cut-out', text: 'cut-out' },
          { value: 'blended', text: 'blended' },
        ]"
        :model-value="output.alpha_mode"
        @update:model-value="emit('change', { alpha_mode: $event ?? 'as found' })"
      />
      <label v-if="output.alpha_mode === 'cut-out'"
        >cut at
        <NumberField
          label="Threshold"
          :model-value="output.threshold"
          :low="0.01"
          :high="0.99"
          @update:model-value="emit('change', { threshold: $event ?? 0.5 })"
      /></label>
    </div>
    <div
      v-for="[list, words_] in [
        ['only_with', 'Made of sets with'],
        ['only_without', 'and without'],
      ] as const"
      :key="list"
      class="line"
    >
      <span class="of">{{ words_ }}</span>
      <label v-for="kind in kinds" :key="kind.value" class="check">
        <input
          type="checkbox"
          :checked="output[list].includes(kind.value)"
          @change="among(list, kind.value, ($event.target as HTMLInputElement).checked)"
        />
        {{ kind.text.toLowerCase() }}
      </label>
      <span v-if="!output[list].length" class="faint">{{
        list === 'only_with' ? 'anything' : 'nothing said'
      }}</span>
    </div>
  </section>
</template>

<style scoped>
.form {
  grid-column: 1 / -1;
  display: grid;
  gap: 8px;
  margin-top: 6px;
  padding: 10px;
  background: var(--wash);
}
.line {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px 12px;
}
.of {
  width: 108px;
  font-weight: 650;
}
.space {
  flex: 1;
}
label {
  display: flex;
  align-items: center;
  gap: 6px;
  color: var(--soft);
}
.short {
  width: 110px;
}
</style>
