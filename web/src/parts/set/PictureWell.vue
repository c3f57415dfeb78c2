<script lang="ts">
export interface Blocks {
  url: string;
  title: string;
  shown: boolean;
  colour: boolean;
  rebuild: boolean;
  grey: boolean;
  level: number;
}
</script>

<script setup lang="ts">
// A picture in neutral grey: whole or at 100 %, all colours or one channel.
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue';
import type { RouteLocationRaw } from 'vue-router';

import { sizeWords } from '@/lib/values/format';
import {
  TILE,
  pictureUrl,
  tileUrl,
  tilesIn,
  viewsOf,
  type Pictured,
  type Tile,
  type View,
} from '@/lib/pictures/pictures';

import BlockView from './BlockView.vue';
import FileName from '@/parts/widgets/FileName.vue';

const props = defineProps<{
  subject: Pictured | null;
  wide: boolean;
  side: 'source' | 'output';
  swappable: boolean;
  /** The blocks of what is shown, where it has been proved; `shown` says whether they are shown instead. */
  blocks?: Blocks | null;
  /** The level that is shown, and how many there are to look through; 0 where there are none. */
  level?: number;
  levels?: number;
  view: View;
  /** The whole set can be shown in light, and turned in light at `turn`. */
  lit?: boolean;
  turn?: RouteLocationRaw;
}>();
const emit = defineEmits<{
  widen: [];
  swap: [];
  blocks: [];
  lit: [];
  level: [to: number];
  'update:view': [to: View];
}>();
const full = defineModel<boolean>('full', { required: true });

const frame = ref<HTMLElement | null>(null);
const failed = ref(false);
const loading = ref(false);
const left = ref(0);
const top = ref(0);
const room = ref({ width: 0, height: 0 });

const views = computed(() => viewsOf(props.subject?.channels ?? []));
// A picture without the chosen channel shows all it has.
const shown = computed<View>(() => (views.value.includes(props.view) ? props.view : 'RGB'));
const inLight = computed(() => props.subject?.kind === 'lit');
/** The picture of lists, which mostly lies in the browser, while a larger one is drawn. */
const coarse = computed(() =>
  props.subject && inLight.value ? `/api/sets/${props.subject.id}/lit?v=${props.subject.stamp}` : '',
);
const whole = computed(() => (props.subject ? pictureUrl(props.subject, shown.value, 'whole') : ''));
const tiles = computed<Tile[]>(() =>
  props.subject && full.value
    ? tilesIn(props.subject, left.value, top.value, room.value.width, room.value.height)
    : [],
);

watch(
  whole,
  () => {
    failed.value = false;
    loading.value = true;
  },
  { immediate: true },
);
watch(
  () => `${props.subject?.kind}${props.subject?.id}`,
  () => {
    if (full.value) void centre();
  },
);
watch(full, (now) => now && void centre());

async function centre(): Promise<void> {
  await new Promise(requestAnimationFrame);
  const area = frame.value;
  if (!area || !props.subject) return;
  area.scrollLeft = (props.subject.width - area.clientWidth) / 2;
  area.scrollTop = (props.subject.height - area.clientHeight) / 2;
  measure();
}
function measure(): void {
  const area = frame.value;
  if (!area) return;
  left.value = area.scrollLeft;
  top.value = area.scrollTop;
  room.value = { width: area.clientWidth, height: area.clientHeight };
}

let held: { x: number; y: number; left: number; top: number } | null = null;
function grab(event: PointerEvent): void {
  if (!full.value || !frame.value) return;
  held = { x: event.clientX, y: event.clientY, left: frame.value.scrollLeft, top: frame.value.scrollTop };
  frame.value.setPointerCapture(event.pointerId);
}
function pull(event: PointerEvent): void {
  if (!held || !frame.value) return;
  frame.value.scrollLeft = held.left - (event.clientX - held.x);
  frame.value.scrollTop = held.top - (event.clientY - held.y);
}

const watcher = new ResizeObserver(measure);
onMounted(() => frame.value && watcher.observe(frame.value));
onBeforeUnmount(() => watcher.disconnect());
</script>

<template>
  <section class="well" :class="{ wide }" aria-label="Picture">
    <div
      ref="frame"
      class="frame"
      :class="{ full }"
      @scroll.passive="measure"
      @pointerdown="grab"
      @pointermove="pull"
      @pointerup="held = null"
      @pointercancel="held = null"
    >
      <p v-if="!subject" class="empty">Choose a row to see its picture.</p>
      <p v-else-if="failed" class="empty">This picture could not be fetched. Reload the page to try again.</p>
      <BlockView
        v-else-if="blocks?.shown && !full"
        :url="blocks.url"
        :view="shown"
        :colour="blocks.colour"
        :rebuild="blocks.rebuild"
        :grey="blocks.grey"
        :level="blocks.level"
        :full="false"
      />
      <div
        v-else-if="full && !subject.address"
        class="plane"
        :style="{ width: `${subject.width}px`, height: `${subject.height}px` }"
      >
        <BlockView
          v-if="blocks?.shown"
          :url="blocks.url"
          :view="shown"
          :colour="blocks.colour"
          :rebuild="blocks.rebuild"
          :grey="blocks.grey"
          :level="blocks.level"
          full
        />
        <img
          v-for="tile in blocks?.shown ? [] : tiles"
          :key="`${subject.kind}${subject.id}${shown}${tile.column}-${tile.row}`"
          class="tile"
          alt=""
          draggable="false"
          :src="tileUrl(subject, shown, tile.column, tile.row)"
          :style="{ left: `${tile.column * TILE}px`, top: `${tile.row * TILE}px` }"
          @error="failed = true"
        />
      </div>
      <template v-else>
        <img v-if="coarse && loading" class="whole" :src="coarse" alt="" draggable="false" />
        <img
          :key="whole"
          class="whole"
          :class="{ loading }"
          :src="whole"
          :alt="inLight ? subject.name : `${subject.name}, ${shown}`"
          draggable="false"
          @load="loading = false"
          @error="failed = true"
        />
      </template>
    </div>
    <div class="strip mono">
      <button
        v-if="lit"
        class="tool"
        :class="{ on: inLight }"
        :aria-pressed="inLight"
        title="The whole set in light"
        @click="emit('lit')"
      >
        lit
      </button>
      <button
        v-for="entry in views"
        :key="entry"
        class="tool"
        :class="{ on: entry === shown && !inLight }"
        :aria-pressed="entry === shown && !inLight"
        @click="emit('update:view', entry)"
      >
        {{ entry === 'RGB' && !inLight && !subject?.channels.includes('R') ? 'Y' : entry }}
      </button>
      <span class="space" />
      <RouterLink v-if="inLight && turn" class="tool" :to="turn">turn it</RouterLink>
      <button
        v-if="swappable && !inLight && !blocks?.shown"
        class="tool"
        :title="'Space swaps source and output'"
        @click="emit('swap')"
      >
        {{ side }}
      </button>
      <button
        v-if="blocks"
        class="tool"
        :class="{ on: blocks.shown }"
        :aria-pressed="blocks.shown"
        title="E swaps the picture and its blocks on the GPU"
        @click="emit('blocks')"
      >
        {{ blocks.title }}
      </button>
      <button v-if="!inLight" class="tool" :aria-pressed="full" @click="full = !full">
        {{ full ? '100 %' : 'whole' }}
      </button>
      <button
        class="tool"
        :aria-pressed="wide"
        :aria-label="wide ? 'Narrow the well' : 'Widen the well'"
        @click="emit('widen')"
      >
        {{ wide ? '⤡' : '⤢' }}
      </button>
    </div>
    <div v-if="levels" class="strip mono" role="group" aria-label="Mip">
      <span class="levels">mip</span>
      <button
        v-for="at in levels"
        :key="at"
        class="tool"
        :class="{ on: at - 1 === level }"
        :aria-pressed="at - 1 === level"
        :aria-label="`Level ${at - 1}`"
        @click="emit('level', at - 1)"
      >
        {{ at - 1 }}
      </button>
    </div>
    <div v-if="subject" class="label">
      <FileName :name="subject.name" />
      <span v-if="!inLight" class="soft">{{ sizeWords(subject.width, subject.height) }}</span>
    </div>
  </section>
</template>

<style scoped>
.levels {
  padding: 0 6px;
  opacity: 0.65;
}
.well {
  display: flex;
  flex-direction: column;
  min-height: 0;
}
.frame {
  background: var(--well);
  aspect-ratio: 1;
  overflow: hidden;
  position: relative;
  width: 100%;
}
.wide .frame {
  aspect-ratio: auto;
  flex: 1;
}
.frame.full {
  overflow: auto;
  cursor: grab;
  scrollbar-width: none;
  touch-action: none;
}
.frame.full:active {
  cursor: grabbing;
}
.plane {
  position: relative;
  margin: auto;
}
.frame.full {
  display: flex;
}
.plane {
  flex: none;
}
.tile {
  position: absolute;
  image-rendering: pixelated;
}
.whole {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  object-fit: contain;
  transition: opacity 0.12s;
}
.loading {
  opacity: 0;
}
.empty {
  color: #000;
  padding: 40px;
  text-align: center;
}
.label {
  display: flex;
  justify-content: space-between;
  gap: 12px;
  padding: 8px 16px 0;
}
</style>
