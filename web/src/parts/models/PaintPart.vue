<script setup lang="ts">
// Painting on a model's points: a brush for one of four channels, strokes that can be taken back, and the model kept with them.
import { computed, onBeforeUnmount, reactive, ref, watch } from 'vue';

import type { Model, ModelPart } from '@/stage/model';
import { apart, CHANNELS, dab, denser, fill } from '@/stage/painting';
import type { Stage } from '@/stage/stage';

import KeepPainted from '@/parts/models/KeepPainted.vue';
import type { usePainted } from '@/parts/models/painted';
import PickOne from '@/parts/widgets/PickOne.vue';
import SlideRange from '@/parts/stage/SlideRange.vue';
import { counted, fixed } from '@/lib/values/local';

const props = defineProps<{
  stage: Stage;
  model: Model;
  /** The part that is painted; null paints whichever is under the brush. */
  part: number | null;
  /** Whether anything that is worn looks at what is painted. */
  seen: boolean;
  work: ReturnType<typeof usePainted>;
}>();
const emit = defineEmits<{ close: [] }>();
const strokes = computed(() => props.work.strokes.value);

/** The model is a ball of about one: a brush of 0.1 is a twentieth of it. */
const brush = reactive({ channel: 'red', size: 0.18, strength: 0.6, softness: 0.6 });
const mode = ref<'paint' | 'wipe' | 'smooth'>('paint');
const wire = ref(false);
const coarse = ref('');

const modes = [
  { value: 'paint' as const, text: 'Paint' },
  { value: 'wipe' as const, text: 'Wipe off' },
  { value: 'smooth' as const, text: 'Smooth' },
];
const channels = CHANNELS.map((value) => ({ value, text: value }));
const made = computed(() => ({
  channel: CHANNELS.indexOf(brush.channel as (typeof CHANNELS)[number]),
  towards: mode.value === 'wipe' ? 0 : 1,
  radius: brush.size,
  strength: brush.strength,
  softness: brush.softness,
  smooth: mode.value === 'smooth',
}));
/** The pieces that count: the chosen part, or all of them. */
const pieces = computed(() =>
  props.model.parts.map((_, at) => at).filter((at) => props.part === null || at === props.part),
);

function stroke(x: number, y: number, first: boolean): void {
  const hit = props.stage.hitAt(x, y);
  const part = hit && pieces.value.includes(hit.piece) ? props.model.parts[hit.piece] : null;
  if (first) stroking = part !== null;
  if (!hit || !part || !stroking) return;
  if (first) strokes.value.begin();
  strokes.value.touch(part);
  dab(hit.geometry, hit.point, made.value);
  const between = apart(hit.geometry);
  coarse.value =
    between > brush.size
      ? `Points lie ${fixed(between, 2)} apart on this part, and the brush reaches ${fixed(brush.size, 2)}: it cannot show a blend as fine. Raise its density.`
      : '';
  after();
}
/** Whether the drag began on a part that is painted. */
let stroking = false;
function after(): void {
  props.work.look();
  props.stage.repaint();
}
function down(event: PointerEvent): void {
  if (event.button !== 0) return;
  stroke(event.offsetX, event.offsetY, true);
}
function move(event: PointerEvent): void {
  if (event.buttons & 1) stroke(event.offsetX, event.offsetY, false);
}
function undo(): void {
  const reshaped = strokes.value.undo();
  if (!reshaped) return;
  for (const part of reshaped) props.stage.reshapePiece(props.model.parts.indexOf(part), part.geometry);
  if (reshaped.length) props.work.recount();
  coarse.value = '';
  after();
}
function chosenParts(): ModelPart[] {
  return pieces.value.flatMap((at) => props.model.parts[at] ?? []);
}
function fillAll(): void {
  strokes.value.begin();
  for (const part of chosenParts()) {
    strokes.value.touch(part);
    fill(part.geometry, made.value.channel, made.value.towards);
  }
  after();
}
const MOST = 2_000_000;
function raise(): void {
  const parts = chosenParts();
  const bound = parts.find(({ origin }) => origin?.bound);
  if (bound) {
    coarse.value = `A skeleton or morph targets lean on the points of ${bound.name}: raise its density where it was modelled.`;
    return;
  }
  const triangles = parts.reduce((sum, part) => sum + part.triangles, 0);
  if (triangles * 4 > MOST) {
    coarse.value = `It would have ${counted(triangles * 4)} triangles; at most ${counted(MOST)} are made. Choose one part.`;
    return;
  }
  strokes.value.begin();
  for (const part of parts) {
    strokes.value.touch(part);
    part.geometry = denser(part.geometry);
    part.triangles *= 4;
    part.denser += 1;
    props.stage.reshapePiece(props.model.parts.indexOf(part), part.geometry);
  }
  props.work.recount();
  coarse.value = '';
  after();
}
function key(event: KeyboardEvent): void {
  if (!(event.ctrlKey || event.metaKey) || event.key.toLowerCase() !== 'z') return;
  if ((event.target as HTMLElement).matches('input, textarea')) return;
  event.preventDefault();
  undo();
}
watch(
  () => props.stage,
  (stage, _, done) => {
    const { canvas } = stage;
    stage.eye.paintsWithLeft(true);
    canvas.addEventListener('pointerdown', down);
    canvas.addEventListener('pointermove', move);
    window.addEventListener('keydown', key);
    done(() => {
      stage.eye.paintsWithLeft(false);
      canvas.removeEventListener('pointerdown', down);
      canvas.removeEventListener('pointermove', move);
      window.removeEventListener('keydown', key);
    });
  },
  { immediate: true },
);
watch(wire, (on) => props.stage.wire(on));
onBeforeUnmount(() => props.stage.wire(false));
</script>

<template>
  <section class="paint" aria-label="Paint">
    <div class="head">
      <h2>Paint</h2>
      <button type="button" class="plain link soft" @click="emit('close')">Put the brush away</button>
    </div>
    <p class="soft small">
      Drag over the model to paint; the right button turns it. Each point of the mesh holds four numbers,
      which masters with layers take as masks.
    </p>
    <PickOne v-model="mode" label="What the brush does" :choices="modes" />
    <PickOne v-if="mode !== 'smooth'" v-model="brush.channel" label="Channel" :choices="channels" />
    <SlideRange
      v-model="brush.size"
      word="Size"
      label="Size of the brush"
      :low="0.02"
      :high="0.8"
      :step="0.01"
    />
    <SlideRange
      v-model="brush.strength"
      word="Strength"
      label="Strength of the brush"
      :low="0.05"
      :high="1"
      :step="0.05"
    />
    <SlideRange
      v-model="brush.softness"
      word="Softness"
      label="Softness of the brush"
      :low="0"
      :high="1"
      :step="0.05"
    />
    <p v-if="!seen" class="coarse" role="status">
      ◆ No part wears a variant whose master looks at vertex colours: what is painted is kept, but changes
      nothing in the light. Dress a part with such a variant, or show “Vertex colour” on the stage.
    </p>
    <p v-if="coarse" class="coarse" role="status">◆ {{ coarse }}</p>
    <div class="acts">
      <button type="button" class="plain link" :disabled="!work.undoable.value" @click="undo">
        Take the last step back
      </button>
      <button v-if="mode !== 'smooth'" type="button" class="plain link" @click="fillAll">
        {{ mode === 'wipe' ? `Wipe all ${brush.channel} off` : `Fill with ${brush.channel}` }}
      </button>
      <button type="button" class="plain link" @click="raise">Raise the density</button>
      <label class="soft"><input v-model="wire" type="checkbox" /> show the wire</label>
    </div>
    <KeepPainted :work="work" />
  </section>
</template>

<style scoped>
.paint {
  display: grid;
  gap: 8px;
  padding-bottom: 14px;
  border-bottom: 1px solid var(--rule);
}
.small {
  font-size: 12px;
}
.coarse {
  color: var(--ochre);
  font-size: 12px;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 14px;
}
</style>
