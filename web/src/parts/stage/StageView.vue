<script setup lang="ts">
// The stage with its controls: what is on it is given, how it is lit and looked at is everybody's own.
import { useQueryClient } from '@tanstack/vue-query';
import { computed, onBeforeUnmount, onMounted, ref, toRef, watch } from 'vue';

import { putEnvironment } from '@/api/arriving';
import { api, take, type Values } from '@/api/client';
import { useAddress } from '@/lib/page/address';
import { useAsk } from '@/lib/page/ask';
import { download } from '@/lib/page/download';
import { useSay } from '@/lib/page/say';
import type { Others } from '@/stage/beside';
import { turntable } from '@/stage/film';
import { linkOf } from '@/stage/kept';
import type { Model } from '@/stage/model';
import type { Dress } from '@/stage/piece';
import { PARTS, READINGS, type Part } from '@/stage/shading';
import { SHAPES, SHAPE_WORDS, type Shape } from '@/stage/shapes';
import { VIEWS } from '@/stage/eye';
import type { Surface } from '@/stage/stage';
import { useStage, type Beside, type Way } from '@/stage/useStage';

import ChoiceList from './ChoiceList.vue';
import SlideRange from './SlideRange.vue';
import StageMore from './StageMore.vue';
import ToolLine from './ToolLine.vue';

const props = defineProps<{
  surface: Surface | null;
  /** What each part of the model wears, where they do not all wear the surface. */
  worn?: readonly Dress[];
  /** Some of what is to be worn is still on its way. */
  waits?: boolean;
  /** Values that go over the surface's own, while a slider is dragged. */
  values?: Values;
  /** What else may stand beside this surface, in groups, and the one that was asked for. */
  others?: Others;
  other?: Surface | null;
  name: string;
  /** A picture to be shown where there can be no stage. */
  still?: string;
  /** The user's own model in place of a shape; undefined where there can be none. */
  model?: Model | null;
  /** A strand of a sheet to be shown in place of the light: its place among the shader's rows, and what is black and white. */
  row?: { number: number; low: number; high: number } | null;
}>();
/** A model is wanted in place of a shape, or no longer; a piece was pressed; something else is to stand beside it. */
const emit = defineEmits<{ model: [wanted: boolean]; piece: [piece: number]; other: [key: string] }>();
const say = useSay();
const ask = useAsk();
const cache = useQueryClient();
const canvas = ref<HTMLCanvasElement | null>(null);
const chooser = ref<HTMLInputElement | null>(null);
const link = useAddress('stage', '');
const width = useAddress('picture', 2048);
const more = ref(false);
/** Too narrow for all tools in one line: what is seldom needed is under More. */
const ONE_LINE = 860;
const section = ref<HTMLElement | null>(null);
const narrow = ref(false);
const sized = new ResizeObserver(([entry]) => (narrow.value = !!entry && entry.contentRect.width < ONE_LINE));
onMounted(() => section.value && sized.observe(section.value));
onBeforeUnmount(() => sized.disconnect());
const clear = ref(false);
const values = computed(() => props.values ?? props.surface?.values ?? {});
const { stage, liking, environments, state, look } = useStage(
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
const known = computed(() => environments.data.value ?? []);
const bringing = ref('');
const lights = computed(() => [
  ...known.value.map((entry) => ({ value: entry.name, text: entry.title })),
  { value: 'new', text: bringing.value ? `Reading ${bringing.value} …` : 'Bring a picture of your own …' },
]);
const lit = computed({
  get: () =>
    known.value.some((entry) => entry.name === liking.environment)
      ? liking.environment
      : (known.value[0]?.name ?? ''),
  set: (to: string) => {
    if (to === 'new') chooser.value?.click();
    else liking.environment = to;
  },
});
const ownLight = computed(() =>
  known.value.find((entry) => entry.name === liking.environment && entry.removable),
);
/** What is shown of a surface, in the order of how often it is asked for. */
const parts = PARTS.filter((value) => value !== 'row').map((value) => ({ value, text: capital(value) }));
const besides = computed(() => [
  { title: 'Alone', choices: [{ value: 'nothing' as Beside, text: 'Nothing beside it' }] },
  {
    title: 'Read wrongly on purpose',
    choices: READINGS.slice(1).map((reading) => ({
      value: `reading:${reading}` as Beside,
      text: reading.startsWith('as') ? `Read ${reading}` : capital(reading),
    })),
  },
  {
    title: 'In another light',
    choices: known.value
      .filter((entry) => entry.name !== lit.value)
      .map((entry) => ({ value: `light:${entry.name}` as Beside, text: `In: ${entry.title}` })),
  },
  ...(props.others ?? []).map(({ title, choices }) => ({
    title,
    choices: choices.map(({ key, text }) => ({ value: `other:${key}` as Beside, text })),
  })),
]);
const besideWords = computed(
  () =>
    besides.value.flatMap((group) => group.choices).find((entry) => entry.value === look.beside)?.text ?? '',
);
watch(
  () => props.row,
  (row) => {
    if (row) stage.value?.row(row);
    if (row) look.part = 'row';
    else if (look.part === 'row') look.part = 'lit';
  },
);
const isTwo = computed(() => look.beside !== 'nothing');
watch(
  () => look.beside,
  (now) => emit('other', now.startsWith('other:') ? now.slice(6) : ''),
);
const ways: { value: Way; text: string }[] = [
  { value: 'beside', text: 'Side by side' },
  { value: 'wipe', text: 'Wipe' },
  { value: 'swap', text: 'Swap with space' },
  { value: 'difference', text: 'Difference' },
];

function capital(text: string): string {
  return text.charAt(0).toUpperCase() + text.slice(1);
}
async function choose(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement;
  const file = input.files?.[0];
  input.value = '';
  if (!file) return;
  bringing.value = file.name;
  try {
    const made = await putEnvironment(file);
    await cache.invalidateQueries({ queryKey: ['environments'] });
    liking.environment = made.name;
  } catch (error) {
    say.wrong(error);
  } finally {
    bringing.value = '';
  }
}
function forget(): void {
  const { name, title } = ownLight.value ?? {};
  if (!name) return;
  const question = `Remove the environment ${title} from the studio?`;
  ask(
    question,
    'Nobody can light the stage by it any more. Its file has to be brought again then.',
    'Remove',
    () => {
      take(api.DELETE('/api/environments/{name}', { params: { path: { name } } }))
        .then(() => cache.invalidateQueries({ queryKey: ['environments'] }))
        .catch(say.wrong);
    },
  );
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
  address.searchParams.set('stage', linkOf(liking, stage.value?.eye.view ?? ''));
  await navigator.clipboard.writeText(address.href).then(
    () => say.done('The link is copied: whoever opens it sees the same light from the same place.'),
    () => window.prompt('The link to this view', address.href),
  );
}
/** Something of what is shown moves by time. */
const timed = computed(() =>
  [props.surface, props.other, ...(props.worn ?? [])].some(
    (dress) => dress && dress !== 'own' && dress.shader.mesh.includes('time'),
  ),
);
// Nothing is drawn again and again for what does not move.
watch(timed, (now) => {
  if (!now) state.running = false;
});
function toggleTurning(): void {
  state.turning = state.turning === 'light' ? '' : 'light';
}
/** Digits look from fixed places, space swaps; the rest turns. */
function key(event: KeyboardEvent): void {
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  const view = VIEWS[Number(event.key) - 1];
  if (view) stage.value?.eye.from(view);
  else if (event.key === ' ' && isTwo.value && look.together === 'swap') look.swapped = !look.swapped;
  else if (event.shiftKey && (event.key === 'ArrowLeft' || event.key === 'ArrowRight'))
    stage.value?.nudge(event.key === 'ArrowLeft' ? -1 : 1);
  else if (!stage.value?.eye.keyed(event.key)) return;
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
  <section ref="section" class="stage" aria-label="Stage">
    <div class="frame">
      <canvas
        ref="canvas"
        :data-ready="state.ready && !waits"
        :data-resting="state.resting"
        :data-frames="state.frames"
        :data-script="state.script"
        :data-own-keys="isTwo && look.together === 'swap' ? '123456 ' : '123456'"
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
      <template v-else-if="isTwo">
        <span v-if="look.together !== 'swap' || !look.swapped" class="said first mono">{{
          look.beside.startsWith('reading:') ? look.reading : name
        }}</span>
        <span v-if="look.together !== 'swap' || look.swapped" class="said second mono">{{
          besideWords
        }}</span>
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
    <div class="controls">
      <p v-if="state.notice" class="notice" role="status">◆ {{ state.notice }}</p>
      <ToolLine>
        <ChoiceList v-if="!worn" v-model="shape" :choices="shapes" label="Shape" />
        <ChoiceList v-model="lit" :choices="lights" label="Environment" />
        <SlideRange
          v-model="liking.light"
          word="Light"
          label="Direction of the light"
          :low="-180"
          :high="180"
          :disabled="state.turning === 'light'"
        />
        <button
          v-if="!narrow"
          class="plain link"
          :aria-pressed="state.turning === 'light'"
          @click="toggleTurning"
        >
          {{ state.turning === 'light' ? 'Hold the light' : 'Turn the light' }}
        </button>
        <button
          v-if="timed"
          class="plain link"
          :aria-pressed="state.running"
          @click="state.running = !state.running"
        >
          {{ state.running ? 'Stop time' : 'Let time run' }}
        </button>
        <ChoiceList v-model="look.part" :choices="parts" label="What is shown" />
        <ChoiceList v-model="look.beside" :choices="besides" label="What stands beside it" />
        <template v-if="isTwo">
          <ChoiceList v-model="look.together" :choices="ways" label="How two stand together" />
          <button v-if="look.together === 'swap'" class="plain link" @click="look.swapped = !look.swapped">
            Show the {{ look.swapped ? 'first' : 'second' }}
          </button>
          <SlideRange
            v-if="look.together === 'difference'"
            v-model="look.factor"
            :word="`× ${look.factor}`"
            label="Difference times"
            :low="1"
            :high="64"
          />
        </template>
        <span class="space" />
        <button class="plain link" :aria-expanded="more" @click="more = !more">
          {{ more ? 'Less' : 'More' }}
        </button>
        <button v-if="!narrow" class="plain link" @click="save">Save a PNG</button>
      </ToolLine>
      <StageMore
        v-if="more"
        v-model:clear="clear"
        :liking="liking"
        :look="look"
        :high="Boolean(surface?.height) || Boolean(worn)"
        :model="Boolean(model)"
        :turning="state.turning === 'object'"
        :filming="filming"
        @turn="state.turning = state.turning === 'object' ? '' : 'object'"
        @from="(view) => stage?.eye.from(view)"
        @link="copyLink"
        @film="film"
      >
        <template v-if="narrow">
          <button class="plain link" :aria-pressed="state.turning === 'light'" @click="toggleTurning">
            {{ state.turning === 'light' ? 'Hold the light' : 'Turn the light' }}
          </button>
          <button class="plain link" @click="save">Save a PNG</button>
        </template>
        <button v-if="ownLight" class="plain link soft" @click="forget">
          Remove the environment {{ ownLight.title }}
        </button>
      </StageMore>
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
      <p v-else-if="look.part === 'overdraw'" class="soft scale">
        How often the GPU shades a place, whether it is covered later or not:
        <span v-for="(hue, at) in ['#463f38', '#625850', '#887c71', '#bbab9d']" :key="hue">
          <span :style="{ color: hue }">■</span> {{ ['once', 'twice', '4 times', '8 times or more'][at] }}
        </span>
      </p>
      <p v-else-if="look.part === 'vertex colour'" class="soft scale">
        Vertex colours as they are stored. What has none is black.
      </p>
      <p v-else-if="look.part === 'material'" class="soft scale">
        A colour for each material that the file names.
      </p>
    </div>
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
/* A stage keeps a height at which a surface can be judged; what stands below it scrolls. */
.frame {
  flex: 1 0 min(240px, 60%);
  min-height: 0;
  background: var(--well);
  position: relative;
}
/* Where a page's parts stand below each other, nothing else gives it one. */
@media (max-width: 860px) {
  .frame {
    min-height: 340px;
  }
}
.controls {
  container-type: inline-size;
  flex: 0 1 auto;
  min-height: 38px;
  overflow: auto;
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
