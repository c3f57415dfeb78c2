<script setup lang="ts">
// One or two pictures on a neutral table: zoomed to the texel, panned, tiled, exposed, compared.
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue';

import { Painter, type Look } from './painter';
import type { Pictured } from '@/lib/pictures/pictures';
import { CLOSEST, fit, texelAt, zoomAt, type LevelTile, type Placement, type Size } from './zoom';

const props = defineProps<{
  first: Pictured;
  second: Pictured | null;
  view: 'RGB' | 'R' | 'G' | 'B' | 'A';
  look: Look;
  /** Where it is to lie at first, as `place` gave it: pixels a texel and the texel in the middle; empty for the whole picture. */
  placement?: string;
}>();
const emit = defineEmits<{
  texel: [at: { x: number; y: number; ofB: boolean } | null];
  place: [placement: string];
  wipe: [share: number];
  zoom: [zoom: number];
}>();
const canvas = ref<HTMLCanvasElement | null>(null);
const failure = ref('');
const placed = ref<Placement>({ zoom: 1, x: 0, y: 0 });
let painter: Painter | null = null;
let room: Size = { width: 0, height: 0 };
let frame = 0;
/** Whether the whole picture is shown as it fits: then it goes on to fit when the window changes. */
let fitted = true;
let held: { x: number; y: number; from: Placement; wiping: boolean } | null = null;

/** Alpha has tiles of its own; colours and their channels share one set. */
const alpha = computed(() => props.view === 'A');
const STEP = 1.25;

function address(subject: Pictured): (tile: LevelTile) => string {
  const { address: whole } = subject;
  if (whole) return () => whole;
  const view = alpha.value && subject.channels.includes('A') ? 'A' : 'RGB';
  return ({ level, column, row }) =>
    `/api/${subject.kind}/${subject.id}/tile?view=${view}&level=${level}&column=${column}&row=${row}` +
    `${subject.deep ? `&stops=${props.look.exposure}` : ''}&v=${subject.stamp}`;
}
function put(index: 0 | 1, subject: Pictured | null): void {
  painter?.put(index, subject, subject ? address(subject) : () => '', subject?.deep ?? false);
}
function place(): void {
  fitted = true;
  placed.value = fit(props.first, room, props.look.times);
  draw();
}
function draw(): void {
  if (canvas.value) canvas.value.dataset.settled = 'false';
  if (frame) return;
  frame = requestAnimationFrame(() => {
    frame = 0;
    if (!painter || !room.width) return;
    painter.paint(placed.value, room, window.devicePixelRatio || 1, props.look);
    if (painter.broken) failure.value = 'This picture could not be fetched. Reload the page to try again.';
    if (canvas.value) canvas.value.dataset.settled = String(painter.settled);
  });
}
function measure(): void {
  const box = canvas.value?.parentElement;
  if (!box) return;
  const first = room.width === 0;
  room = { width: box.clientWidth, height: box.clientHeight };
  if (first && begin()) draw();
  else if (first || fitted) place();
  else draw();
}
/** Lie where the page's address says; whether it says where. */
function begin(): boolean {
  const [zoom = NaN, x = NaN, y = NaN] = (props.placement ?? '').split('_').map(Number);
  if (![zoom, x, y].every(Number.isFinite) || zoom <= 0) return false;
  fitted = false;
  placed.value = { zoom: Math.min(zoom, CLOSEST), x, y };
  return true;
}
function wheel(event: WheelEvent): void {
  const factor = Math.exp(-event.deltaY * 0.0016);
  fitted = false;
  placed.value = zoomAt(placed.value, factor, event.offsetX, event.offsetY, room, props.first);
}
function grab(event: PointerEvent): void {
  const wiping =
    props.look.together === 'wipe' && Math.abs(event.offsetX - props.look.wipe * room.width) < 14;
  held = { x: event.clientX, y: event.clientY, from: placed.value, wiping };
  (event.target as HTMLElement).setPointerCapture(event.pointerId);
}
function move(event: PointerEvent): void {
  const at = texelAt(placed.value, event.offsetX, event.offsetY, room);
  const times = props.look.times;
  const inside =
    at.x >= 0 && at.y >= 0 && at.x < props.first.width * times && at.y < props.first.height * times;
  const ofB = props.look.together === 'wipe' && event.offsetX > props.look.wipe * room.width;
  emit('texel', inside ? { x: at.x % props.first.width, y: at.y % props.first.height, ofB } : null);
  if (!held) return;
  if (held.wiping) {
    emit('wipe', Math.max(0, Math.min(1, event.offsetX / room.width)));
    return;
  }
  const { zoom } = held.from;
  fitted = false;
  placed.value = {
    zoom,
    x: held.from.x - (event.clientX - held.x) / zoom,
    y: held.from.y - (event.clientY - held.y) / zoom,
  };
}
/** Arrows move the picture by an eighth of the window, with shift by the whole of it. */
function pan(event: KeyboardEvent): void {
  const ways: Record<string, [number, number]> = {
    ArrowLeft: [-1, 0],
    ArrowRight: [1, 0],
    ArrowUp: [0, -1],
    ArrowDown: [0, 1],
  };
  const way = ways[event.key];
  if (!way) return;
  event.preventDefault();
  fitted = false;
  const by = event.shiftKey ? 1 : 1 / 8;
  const { zoom, x, y } = placed.value;
  placed.value = {
    zoom,
    x: x + (way[0] * by * room.width) / zoom,
    y: y + (way[1] * by * room.height) / zoom,
  };
}
/** The corner where four tiles meet, close up. */
function corner(): void {
  fitted = false;
  placed.value = { zoom: Math.max(1, placed.value.zoom), x: props.first.width, y: props.first.height };
}
/** For keys: zoom about the middle, fit, or one screen pixel a texel. */
function zoom(by: 'in' | 'out' | 'fit' | 'one'): void {
  if (by === 'fit') return place();
  fitted = false;
  const factor = by === 'in' ? STEP : by === 'out' ? 1 / STEP : 1 / placed.value.zoom;
  placed.value = zoomAt(placed.value, factor, room.width / 2, room.height / 2, room, props.first);
}
defineExpose({ zoom, corner });

watch(placed, (now) => {
  emit('zoom', now.zoom);
  emit('place', fitted ? '' : [now.zoom, now.x, now.y].map((part) => Number(part.toFixed(3))).join('_'));
  draw();
});
watch(() => props.look, draw, { deep: true });
watch(() => props.look.times, place);
watch(
  () => props.look.exposure,
  () => {
    if (props.first.deep) put(0, props.first);
    if (props.second?.deep) put(1, props.second);
    draw();
  },
);
watch(
  () => [props.first.kind, props.first.id, props.first.stamp, alpha.value].join(),
  (_, before) => {
    failure.value = '';
    put(0, props.first);
    if (before !== undefined) draw();
  },
);
watch(
  () => `${props.first.width}×${props.first.height}`,
  () => room.width && place(),
);
watch(
  () =>
    props.second
      ? [props.second.kind, props.second.id, props.second.name, props.second.stamp, alpha.value].join()
      : '',
  () => {
    put(1, props.second);
    draw();
  },
);

const watcher = new ResizeObserver(measure);
onMounted(() => {
  if (!canvas.value?.parentElement) return;
  try {
    painter = new Painter(canvas.value, draw);
  } catch (error) {
    failure.value = error instanceof Error ? error.message : 'The picture cannot be shown here.';
    return;
  }
  put(0, props.first);
  put(1, props.second);
  watcher.observe(canvas.value.parentElement);
});
onBeforeUnmount(() => {
  watcher.disconnect();
  cancelAnimationFrame(frame);
  painter?.dispose();
});
</script>

<template>
  <div class="table">
    <canvas
      v-show="!failure"
      ref="canvas"
      :class="{ wiping: look.together === 'wipe' }"
      role="application"
      tabindex="0"
      :aria-label="`${first.name} on the table. Arrow keys move it.`"
      @keydown="pan"
      @wheel.prevent="wheel"
      @pointerdown="grab"
      @pointermove="move"
      @pointerup="held = null"
      @pointercancel="held = null"
      @pointerleave="emit('texel', null)"
      @dblclick="zoom('fit')"
    />
    <p v-if="failure" class="failure" role="alert">{{ failure }}</p>
  </div>
</template>

<style scoped>
.table {
  position: relative;
  flex: 1;
  min-width: 0;
  min-height: 0;
  background: var(--well);
  overflow: hidden;
}
canvas {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  cursor: crosshair;
  touch-action: none;
}
canvas:active {
  cursor: grabbing;
}
.failure {
  color: #000;
  padding: 40px;
  text-align: center;
}
</style>
