<script setup lang="ts">
// The stage with its controls: what is on it is given, how it is lit and looked at is everybody's own.
import Select from 'primevue/select';
import { computed, ref, toRef } from 'vue';

import type { Values } from '@/api/client';
import { useAddress } from '@/lib/address';
import { download } from '@/lib/download';
import { useSay } from '@/lib/say';
import { turntable } from '@/stage/film';
import { linkOf, useStops } from '@/stage/kept';
import { PARTS, READINGS, type Part } from '@/stage/shading';
import type { Model } from '@/stage/model';
import { SHAPES, SHAPE_WORDS, type Shape } from '@/stage/shapes';
import type { Surface } from '@/stage/stage';
import { useStage, type Beside } from '@/stage/useStage';

import NumberField from './NumberField.vue';

const props = defineProps<{
  surface: Surface | null;
  /** What each part of the model wears, where they do not all wear the surface. */
  worn?: readonly (Surface | null)[];
  /** Values that go over the surface's own, while a slider is dragged. */
  values?: Values;
  /** Another surface that may stand beside this one, and its words. */
  other?: Surface | null;
  otherWords?: string;
  name: string;
  /** A picture to be shown where there can be no stage. */
  still?: string;
  /** In a narrow place: what is seldom needed is left out. */
  compact?: boolean;
  /** The user's own model in place of a shape; undefined where there can be none. */
  model?: Model | null;
}>();
/** A model is wanted in place of a shape, or no longer. */
const emit = defineEmits<{ model: [wanted: boolean]; piece: [piece: number] }>();
const say = useSay();
const canvas = ref<HTMLCanvasElement | null>(null);
const chooser = ref<HTMLInputElement | null>(null);
const link = useAddress('stage', '');
const width = useAddress('picture', 2048);
const LARGEST = 8192;
const more = ref(false);
const clear = ref(false);
const values = computed(() => props.values ?? props.surface?.values ?? {});
const { stage, liking, environments, state, look, own } = useStage(
  canvas,
  {
    surface: toRef(props, 'surface'),
    worn: computed(() => props.worn ?? null),
    values,
    other: computed(() => props.other ?? null),
    model: computed(() => props.model ?? null),
  },
  link,
);
const stops = useStops(liking);
const shapes = computed(() => [
  ...SHAPES.map((value) => ({ value: value as Shape | 'model', text: SHAPE_WORDS[value] })),
  ...(props.model === undefined ? [] : [{ value: 'model' as const, text: 'Its own model' }]),
]);
const shape = computed<Shape | 'model'>({
  get: () => (props.model ? 'model' : liking.shape),
  set: (to) => {
    emit('model', to === 'model');
    if (to !== 'model') liking.shape = to;
  },
});
const lights = computed(() => [
  ...(environments.data.value ?? []).map((entry) => ({ value: entry.name, text: entry.title })),
  { value: 'own', text: own.value ? own.value.name : 'A picture of your own …' },
]);
const lit = computed({
  get: () => (own.value ? 'own' : liking.environment),
  set: (to: string) => {
    if (to === 'own') chooser.value?.click();
    else [liking.environment, own.value] = [to, null];
  },
});
const parts = PARTS.map((value) => ({ value, text: value === 'lit' ? 'Lit' : capital(value) }));
const besides = computed<{ value: Beside; text: string }[]>(() => [
  { value: 'nothing', text: 'Nothing beside it' },
  ...(props.other ? [{ value: 'other' as const, text: props.otherWords ?? 'The other' }] : []),
  ...READINGS.slice(1).map((reading) => ({
    value: `reading:${reading}` as const,
    text: reading.startsWith('as') ? `Read ${reading}` : capital(reading),
  })),
  ...(environments.data.value ?? [])
    .filter((entry) => entry.name !== liking.environment)
    .map((entry) => ({ value: `light:${entry.name}` as const, text: `In: ${entry.title}` })),
]);
const besideWords = computed(() => besides.value.find((entry) => entry.value === look.beside)?.text ?? '');
const ways = [
  { value: 'beside', text: 'Side by side' },
  { value: 'wipe', text: 'Wipe' },
  { value: 'difference', text: 'Difference' },
];
const grounds = [
  { value: 'well', text: 'Grey' },
  { value: 'squares', text: 'Squares' },
  { value: 'environment', text: 'The surroundings' },
  { value: 'blurred environment', text: 'The surroundings, blurred' },
];
const VIEWS = ['front', 'three quarters', 'left', 'right', 'above', 'behind'] as const;
const levels = [
  { value: -1, text: 'Levels as the GPU chooses' },
  ...Array.from({ length: 12 }, (_, at) => ({ value: at, text: `Held at level ${at}` })),
];

function capital(text: string): string {
  return text.charAt(0).toUpperCase() + text.slice(1);
}
function choose(event: Event): void {
  const input = event.target as HTMLInputElement;
  const file = input.files?.[0];
  input.value = '';
  if (file) own.value = { file, name: file.name };
}
async function save(): Promise<void> {
  const blob = await stage.value?.picture(width.value, clear.value);
  if (blob) download(blob, `${props.name}.png`);
}
/** The share of a turntable that is recorded; null while none is. */
const filming = ref<number | null>(null);
async function film(): Promise<void> {
  if (filming.value !== null) return void (filming.value = null);
  const [on, paper] = [stage.value, canvas.value];
  if (!on || !paper) return;
  filming.value = 0;
  state.turning = '';
  const made = await turntable(
    on,
    paper,
    (share) => filming.value !== null && (filming.value = share),
    () => filming.value === null,
  );
  filming.value = null;
  if (made) download(made.blob, `${props.name} turntable.${made.ending}`);
}
async function copyLink(): Promise<void> {
  const address = new URL(window.location.href);
  address.searchParams.set('stage', linkOf(liking, stage.value?.view ?? ''));
  await navigator.clipboard.writeText(address.href).then(
    () => say.done('The link is copied: whoever opens it sees the same light from the same place.'),
    () => window.prompt('The link to this view', address.href),
  );
}
function toggleTurning(): void {
  state.turning = state.turning === 'light' ? '' : 'light';
}
/** Digits look from fixed places; the rest turns. */
function key(event: KeyboardEvent): void {
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  const place = VIEWS[Number(event.key) - 1];
  if (place) stage.value?.from(place);
  else if (!stage.value?.keyed(event.key, event.shiftKey)) return;
  event.preventDefault();
  event.stopPropagation();
}
/** A press that does not move chooses the piece under it. */
const pressed = { x: 0, y: 0 };
function press(event: PointerEvent): void {
  [pressed.x, pressed.y] = [event.offsetX, event.offsetY];
}
function release(event: PointerEvent): void {
  if (Math.hypot(event.offsetX - pressed.x, event.offsetY - pressed.y) > 3) return;
  const piece = stage.value?.pieceAt(event.offsetX, event.offsetY);
  if (piece !== null && piece !== undefined) emit('piece', piece);
}
function wipe(event: PointerEvent): void {
  const frame = canvas.value?.getBoundingClientRect();
  if (!frame) return;
  const move = (now: PointerEvent) => {
    look.wipe = Math.max(0, Math.min(1, (now.clientX - frame.left) / frame.width));
  };
  const end = () => window.removeEventListener('pointermove', move);
  window.addEventListener('pointermove', move);
  window.addEventListener('pointerup', end, { once: true });
  event.preventDefault();
}
function show(part: Part): void {
  look.part = part;
}
defineExpose({ save, toggleTurning, show, stage, state });
</script>

<template>
  <section class="stage" aria-label="Stage">
    <div class="frame">
      <canvas
        ref="canvas"
        :data-ready="state.ready"
        :data-resting="state.resting"
        :data-frames="state.frames"
        role="application"
        tabindex="0"
        aria-label="The surface on the stage. Drag or use arrow keys to turn it, with shift the light; 1 to 6 look from fixed places."
        @keydown="key"
        @pointerdown="press"
        @pointerup="release"
      />
      <div v-if="state.problem" class="problem">
        <img v-if="still" :src="still" width="256" height="256" alt="The set lit, as the server drew it" />
        <p role="alert">The stage cannot show this: {{ state.problem }}.</p>
        <p v-if="still">This picture of it was drawn by the server, in the workshop’s light.</p>
      </div>
      <template v-if="look.beside !== 'nothing' && !state.problem">
        <span class="said first mono">{{ look.reading }}</span>
        <span class="said second mono">{{ besideWords }}</span>
        <button
          v-if="look.together === 'wipe'"
          class="plain wiper"
          :style="{ left: `${look.wipe * 100}%` }"
          aria-label="Move the wipe"
          @pointerdown="wipe"
          @keydown.left.prevent="look.wipe = Math.max(0, look.wipe - 0.02)"
          @keydown.right.prevent="look.wipe = Math.min(1, look.wipe + 0.02)"
        />
      </template>
      <slot name="over" />
    </div>
    <p v-if="state.notice" class="notice" role="status">◆ {{ state.notice }}</p>
    <div class="tools">
      <Select
        v-if="!worn"
        v-model="shape"
        :options="shapes"
        option-label="text"
        option-value="value"
        aria-label="Shape"
      />
      <Select
        v-model="lit"
        :options="lights"
        option-label="text"
        option-value="value"
        aria-label="Environment"
      />
      <label class="slide">
        <span class="soft">Light</span>
        <input
          v-model.number="liking.light"
          type="range"
          min="-180"
          max="180"
          :disabled="state.turning === 'light'"
          aria-label="Direction of the light"
        />
      </label>
      <button class="plain link" :aria-pressed="state.turning === 'light'" @click="toggleTurning">
        {{ state.turning === 'light' ? 'Hold the light' : 'Turn the light' }}
      </button>
      <Select
        v-model="look.part"
        :options="parts"
        option-label="text"
        option-value="value"
        aria-label="What is shown"
      />
      <Select
        v-model="look.beside"
        :options="besides"
        option-label="text"
        option-value="value"
        aria-label="What stands beside it"
      />
      <Select
        v-if="look.beside !== 'nothing'"
        v-model="look.together"
        :options="ways"
        option-label="text"
        option-value="value"
        aria-label="How two stand together"
      />
      <label v-if="look.beside !== 'nothing' && look.together === 'difference'" class="slide">
        <span class="soft">× {{ look.factor }}</span>
        <input v-model.number="look.factor" type="range" min="1" max="64" aria-label="Difference times" />
      </label>
      <span class="space" />
      <button class="plain link" :aria-expanded="more" @click="more = !more">
        {{ more ? 'Less' : 'More' }}
      </button>
      <button v-if="!compact" class="plain link" @click="save">Save a PNG</button>
    </div>
    <div v-if="more" class="tools rest">
      <label class="slide">
        <span class="soft">Exposure</span>
        <input
          v-model.number="liking.exposure"
          type="range"
          min="-6"
          max="6"
          step="0.5"
          aria-label="Exposure in stops"
        />
        <span class="mono">{{ stops }} stops</span>
      </label>
      <label
        class="check"
        title="Khronos PBR Neutral: colours stay as they are up to middle tones, highlights are pressed together"
      >
        <input v-model="liking.toned" type="checkbox" /> neutral tone mapping
      </label>
      <Select
        v-model="liking.behind"
        :options="grounds"
        option-label="text"
        option-value="value"
        aria-label="What lies behind"
      />
      <label class="slide">
        <span class="soft">Field of view</span>
        <input
          v-model.number="liking.field"
          type="range"
          min="10"
          max="80"
          aria-label="Field of view in degrees"
        />
        <span class="mono">{{ liking.field }}°</span>
      </label>
      <label class="slide">
        <span class="soft">Object</span>
        <input
          v-model.number="liking.object"
          type="range"
          min="-180"
          max="180"
          :disabled="state.turning === 'object'"
          aria-label="Turn of the object"
        />
      </label>
      <button
        class="plain link"
        :aria-pressed="state.turning === 'object'"
        @click="state.turning = state.turning === 'object' ? '' : 'object'"
      >
        {{ state.turning === 'object' ? 'Hold the object' : 'Turn the object' }}
      </button>
      <label class="slide">
        <span class="soft">Speed</span>
        <input
          v-model.number="liking.speed"
          type="range"
          min="5"
          max="180"
          step="5"
          aria-label="Degrees a second"
        />
        <span class="mono">{{ liking.speed }}°/s</span>
      </label>
      <Select
        v-model="look.level"
        :options="levels"
        option-label="text"
        option-value="value"
        placeholder="As the GPU chooses"
        aria-label="Level of the maps"
      />
      <label v-if="look.part === 'texel density'" class="size">
        <span class="soft">Wished</span>
        <NumberField v-model="liking.density" label="Wished texels per metre" :low="1" :high="65536" whole />
        <span class="soft">texels per metre</span>
      </label>
      <span class="views">
        <button v-for="place in VIEWS" :key="place" class="plain link soft" @click="stage?.from(place)">
          {{ place }}
        </button>
      </span>
      <span class="space" />
      <button class="plain link" @click="copyLink">Copy a link to this view</button>
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
      <button v-if="compact" class="plain link" @click="save">Save a PNG</button>
      <button class="plain link" title="Once around in six seconds" @click="film">
        {{ filming === null ? 'Record a turntable' : `Stop recording, ${Math.round(filming * 100)} %` }}
      </button>
    </div>
    <p v-if="look.part === 'texel density'" class="soft scale">
      Texels per metre on this shape: <span class="few">■</span> a quarter of what is wished or less,
      <span class="right">■</span> as wished, <span class="many">■</span> four times that or more.
    </p>
    <p v-else-if="look.part === 'mip level'" class="soft scale">
      <span
        v-for="(hue, at) in ['#a8332e', '#a86b12', '#809429', '#2e7366', '#335c99', '#6b458c']"
        :key="hue"
      >
        <span :style="{ color: hue }">■</span> level {{ at }}{{ at === 5 ? ' and further' : '' }}
      </span>
    </p>
    <input ref="chooser" data-choose="environment" type="file" accept=".hdr,.exr" hidden @change="choose" />
  </section>
</template>

<style scoped>
.stage {
  display: flex;
  flex-direction: column;
  min-height: 0;
  flex: 1;
}
.frame {
  flex: 1;
  min-height: 0;
  background: var(--well);
  position: relative;
}
canvas {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  cursor: grab;
}
canvas:active {
  cursor: grabbing;
}
.problem {
  position: absolute;
  inset: 0;
  margin: auto;
  height: fit-content;
  max-width: 360px;
  text-align: center;
  color: #000;
}
.said {
  position: absolute;
  bottom: 8px;
  padding: 1px 7px;
  background: #1b2430;
  color: #f6f4ef;
  font-size: 11px;
}
.first {
  left: 8px;
}
.second {
  right: 8px;
}
.wiper {
  position: absolute;
  top: 0;
  bottom: 0;
  width: 14px;
  margin-left: -7px;
  cursor: ew-resize;
}
.notice {
  color: var(--ochre);
  padding: 6px 16px 0;
}
.tools {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px 14px;
  padding: 8px 16px;
  border-top: 1px solid var(--rule);
}
.tools :deep(.p-select) {
  max-width: 190px;
}
.slide,
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
.slide input {
  width: 90px;
  accent-color: var(--ink);
}
.space {
  flex: 1;
}
.scale {
  padding: 0 16px 8px;
  display: flex;
  gap: 14px;
}
.few {
  color: #a8332e;
}
.right {
  color: #2e7366;
}
.many {
  color: #335cbf;
}
</style>
