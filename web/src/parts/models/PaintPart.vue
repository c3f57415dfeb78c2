<script setup lang="ts">
// Painting on a model's points: a brush for one of four channels, strokes that can be taken back, and the model kept with them.
import Button from 'primevue/button';
import { computed, onBeforeUnmount, reactive, ref, watch } from 'vue';

import { useSay } from '@/lib/page/say';
import type { Model } from '@/stage/model';
import { apart, CHANNELS, dab, denser, fill, Strokes } from '@/stage/painting';
import type { Stage } from '@/stage/stage';

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
  keep: () => Promise<void>;
}>();
const emit = defineEmits<{ close: []; painted: [] }>();
const say = useSay();

/** The model is a ball of about one: a brush of 0.1 is a twentieth of it. */
const brush = reactive({ channel: 'red', size: 0.18, strength: 0.6, softness: 0.6 });
const mode = ref<'paint' | 'wipe' | 'smooth'>('paint');
const wire = ref(false);
const strokes = new Strokes();
const undoable = ref(0);
const changed = ref(false);
const keeping = ref(false);
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

let painting = -1;
function stroke(x: number, y: number, first: boolean): void {
  const hit = props.stage.hitAt(x, y);
  if (!hit || !pieces.value.includes(hit.piece)) return;
  if (first || painting !== hit.piece) strokes.begin(hit.geometry);
  painting = hit.piece;
  dab(hit.geometry, hit.point, made.value);
  const between = apart(hit.geometry);
  coarse.value =
    between > brush.size
      ? `Points lie ${fixed(between, 2)} apart on this part, and the brush reaches ${fixed(brush.size, 2)}: it cannot show a blend as fine. Raise its density.`
      : '';
  after();
}
function after(): void {
  undoable.value = strokes.count;
  changed.value = true;
  props.stage.repaint();
  emit('painted');
}
function down(event: PointerEvent): void {
  if (event.button !== 0) return;
  stroke(event.offsetX, event.offsetY, true);
}
function move(event: PointerEvent): void {
  if (event.buttons & 1) stroke(event.offsetX, event.offsetY, false);
}
function undo(): void {
  if (strokes.undo()) after();
}
function fillAll(): void {
  for (const piece of pieces.value) {
    const part = props.model.parts[piece];
    if (!part) continue;
    strokes.begin(part.geometry);
    fill(part.geometry, made.value.channel, made.value.towards);
  }
  after();
}
const MOST = 2_000_000;
function raise(): void {
  const triangles = pieces.value.reduce((sum, at) => sum + (props.model.parts[at]?.triangles ?? 0), 0);
  if (triangles * 4 > MOST) {
    coarse.value = `It would have ${counted(triangles * 4)} triangles; at most ${counted(MOST)} are made. Choose one part.`;
    return;
  }
  for (const piece of pieces.value) {
    const part = props.model.parts[piece];
    if (!part) continue;
    const next = denser(part.geometry);
    part.geometry = next;
    part.triangles *= 4;
    props.stage.reshapePiece(piece, next);
  }
  strokes.forget();
  coarse.value = '';
  after();
}
async function save(): Promise<void> {
  keeping.value = true;
  try {
    await props.keep();
    changed.value = false;
  } catch (error) {
    say.wrong(error);
  } finally {
    keeping.value = false;
  }
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
      <button type="button" class="plain link" :disabled="!undoable" @click="undo">
        Take the last stroke back
      </button>
      <button v-if="mode !== 'smooth'" type="button" class="plain link" @click="fillAll">
        {{ mode === 'wipe' ? `Wipe all ${brush.channel} off` : `Fill with ${brush.channel}` }}
      </button>
      <button type="button" class="plain link" @click="raise">Raise the density</button>
      <label class="soft"><input v-model="wire" type="checkbox" /> show the wire</label>
    </div>
    <Button
      label="Keep what is painted"
      :disabled="!changed"
      :loading="keeping"
      title="As a revision of the model, as GLB with COLOR_0. Textures of its own file are not in it."
      @click="save"
    />
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
