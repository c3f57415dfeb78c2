<script setup lang="ts">
// What is seldom needed on the stage: exposure, what lies behind, lens, relief, levels, fixed views, and pictures to keep.
import { computed } from 'vue';

import { useAddress } from '@/lib/page/address';
import { useStops, type Liking } from '@/stage/kept';
import type { Relief } from '@/stage/shading';
import { FINE } from '@/stage/shapes';
import { VIEWS, type View } from '@/stage/eye';
import type { Look } from '@/stage/useStage';

import ChoiceList from './ChoiceList.vue';
import NumberField from '@/parts/widgets/NumberField.vue';
import SlideRange from './SlideRange.vue';
import ToolLine from './ToolLine.vue';
import { fixed } from '@/lib/values/local';

const props = defineProps<{
  liking: Liking;
  look: Look;
  /** Whether what stands there has a height, and is a shape that can be displaced. */
  high: boolean;
  model: boolean;
  turning: boolean;
  /** The share of a turntable that is recorded; null while none is. */
  filming: number | null;
}>();
const emit = defineEmits<{ turn: []; from: [view: View]; link: []; film: [] }>();
// What somebody likes is theirs: the parts of it are bound as they are.
const liking = computed(() => props.liking);
const look = computed(() => props.look);
const width = useAddress('picture', 2048);
const LARGEST = 8192;
const clear = defineModel<boolean>('clear', { required: true });
const stops = useStops(props.liking);
const grounds = [
  { value: 'well', text: 'Grey' },
  { value: 'squares', text: 'Squares' },
  { value: 'environment', text: 'The surroundings' },
  { value: 'blurred environment', text: 'The surroundings, blurred' },
] as const;
const levels = [
  { value: -1, text: 'Levels as the GPU chooses' },
  ...Array.from({ length: 12 }, (_, at) => ({ value: at, text: `Held at level ${at}` })),
];
const reliefs = computed<{ value: Relief; text: string }[]>(() => [
  { value: 'flat', text: 'Height not shown' },
  { value: 'parallax', text: 'Height as parallax' },
  ...(!props.model && FINE.includes(props.liking.shape)
    ? [{ value: 'displaced' as const, text: 'Height moves points' }]
    : []),
]);
/** What cannot be displaced is shown as parallax, and said so. */
const relief = computed<Relief>({
  get: () =>
    reliefs.value.some((entry) => entry.value === props.liking.relief) ? props.liking.relief : 'parallax',
  set: (to) => (liking.value.relief = to),
});
</script>

<template>
  <ToolLine>
    <SlideRange
      v-model="liking.exposure"
      word="Exposure"
      label="Exposure in stops"
      :low="-6"
      :high="6"
      :step="0.5"
      :said="`${stops} stops`"
    />
    <label
      class="check"
      title="Khronos PBR Neutral: colours stay as they are up to middle tones, highlights are pressed together"
    >
      <input v-model="liking.toned" type="checkbox" /> neutral tone mapping
    </label>
    <ChoiceList v-model="liking.behind" :choices="grounds" label="What lies behind" />
    <SlideRange
      v-model="liking.field"
      word="Field of view"
      label="Field of view in degrees"
      :low="10"
      :high="80"
      :said="`${liking.field}°`"
    />
    <SlideRange
      v-model="liking.object"
      word="Object"
      label="Turn of the object"
      :low="-180"
      :high="180"
      :disabled="turning"
    />
    <button class="plain link" :aria-pressed="turning" @click="emit('turn')">
      {{ turning ? 'Hold the object' : 'Turn the object' }}
    </button>
    <SlideRange
      v-model="liking.speed"
      word="Speed"
      label="Degrees a second"
      :low="5"
      :high="180"
      :step="5"
      :said="`${liking.speed}°/s`"
    />
    <template v-if="high">
      <ChoiceList v-model="relief" :choices="reliefs" label="How height is shown" />
      <template v-if="relief !== 'flat'">
        <SlideRange
          v-model="liking.depth"
          word="Depth"
          label="How deep the height reaches, as a share of the picture’s width"
          :low="0"
          :high="0.3"
          :step="0.005"
          :said="`${fixed(liking.depth * 100, 1)} %`"
        />
        <SlideRange
          v-model="liking.mid"
          word="Mid level"
          label="The height that stays where it is"
          :low="0"
          :high="1"
          :step="0.05"
          :said="fixed(liking.mid, 2)"
        />
      </template>
    </template>
    <ChoiceList v-model="look.level" :choices="levels" label="Level of the maps" />
    <label v-if="look.part === 'texel density'" class="size">
      <span class="soft">Wished</span>
      <NumberField v-model="liking.density" label="Wished texels per metre" :low="1" :high="65536" whole />
      <span class="soft">texels per metre</span>
    </label>
    <span class="views">
      <button v-for="view in VIEWS" :key="view" class="plain link soft" @click="emit('from', view)">
        {{ view }}
      </button>
    </span>
    <span class="space" />
    <button class="plain link" @click="emit('link')">Copy a link to this view</button>
    <label class="size">
      <NumberField
        v-model="width"
        label="Width of the picture"
        unit="px"
        unit-beside
        :low="64"
        :high="LARGEST"
        whole
      />
      <span class="soft">px wide</span>
    </label>
    <label class="check"><input v-model="clear" type="checkbox" /> with nothing behind</label>
    <button class="plain link" title="Once around in six seconds" @click="emit('film')">
      {{ filming === null ? 'Record a turntable' : `Stop recording, ${Math.round(filming * 100)} %` }}
    </button>
    <slot />
  </ToolLine>
</template>

<style scoped>
.size,
.views {
  display: flex;
  align-items: center;
  gap: 8px;
}
.views {
  gap: 12px;
}
.size {
  --number-width: 64px;
}
</style>
