<script setup lang="ts">
// A variant on a shape under a turning light.
import { onBeforeUnmount, onMounted, ref, watch } from 'vue';

import type { Values, VariantView } from '@/api/client';
import { useAddress } from '@/lib/address';
import { Stage, type Shape } from '@/lib/stage';

import NumberField from './NumberField.vue';
import PickOne from './PickOne.vue';

const props = defineProps<{ view: VariantView; values: Values }>();
const canvas = ref<HTMLCanvasElement | null>(null);
const problem = ref('');
const ready = ref(false);
const shape = useAddress<Shape>('shape', 'sphere', ['sphere', 'plane', 'cube']);
const turning = ref(false);
const turn = ref(0);
/** Pixels of a saved picture. */
const width = useAddress('picture', 2048);
const LARGEST = 8192;
const SHAPES = [
  { value: 'sphere', text: 'Sphere' },
  { value: 'plane', text: 'Plane' },
  { value: 'cube', text: 'Cube' },
] as const;
let stage: Stage | null = null;
const watcher = new ResizeObserver(() => stage?.resize());

async function dress(): Promise<void> {
  ready.value = false;
  try {
    await stage?.dress(props.view);
    stage?.set(props.view, props.values);
    problem.value = '';
    ready.value = true;
  } catch (error) {
    problem.value = error instanceof Error ? error.message : 'it could not be drawn';
  }
}
onMounted(() => {
  if (!canvas.value) return;
  try {
    stage = new Stage(canvas.value);
  } catch {
    problem.value = 'this browser offers no WebGL 2';
    return;
  }
  stage.shape(shape.value);
  watcher.observe(canvas.value);
  void dress();
});
onBeforeUnmount(() => {
  watcher.disconnect();
  stage?.end();
});
watch(
  () => props.view.shader.glsl + props.view.outputs.map((output) => output.sha256).join(),
  () => void dress(),
);
// Before the frame is drawn, so that a slider and its picture move together.
watch(
  () => props.values,
  (values) => stage?.set(props.view, values),
  { deep: true, flush: 'sync' },
);
watch(shape, (now) => stage?.shape(now));
watch([turning, turn], () => {
  if (!stage) return;
  if (!turning.value) stage.turn = (turn.value / 180) * Math.PI;
  stage.turning = turning.value ? 0.7 : 0;
  stage.draw();
});

async function save(): Promise<void> {
  const blob = await stage?.picture(width.value);
  if (!blob) return;
  const link = document.createElement('a');
  link.href = URL.createObjectURL(blob);
  link.download = `${props.view.name}.png`;
  link.click();
  URL.revokeObjectURL(link.href);
}
function toggleTurning(): void {
  turning.value = !turning.value;
}
defineExpose({ save, toggleTurning });
</script>

<template>
  <section class="stage" aria-label="Preview">
    <div class="frame">
      <canvas
        ref="canvas"
        :data-ready="ready"
        role="application"
        tabindex="0"
        aria-label="The variant under the stage’s light. Drag or use arrow keys to turn it."
        @keydown="stage?.key($event.key) && $event.preventDefault()"
      />
      <p v-if="problem" class="problem" role="alert">The preview cannot be drawn: {{ problem }}.</p>
    </div>
    <div class="tools">
      <PickOne v-model="shape" label="Shape" :choices="SHAPES" />
      <label class="light">
        <span class="soft">Light</span>
        <input
          v-model.number="turn"
          type="range"
          min="-180"
          max="180"
          :disabled="turning"
          aria-label="Direction of the light"
        />
      </label>
      <button class="plain link" :aria-pressed="turning" @click="toggleTurning">
        {{ turning ? 'Hold the light' : 'Turn the light' }}
      </button>
      <span class="space" />
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
      <button class="plain link" @click="save">Save a PNG</button>
    </div>
  </section>
</template>

<style scoped>
.stage {
  display: flex;
  flex-direction: column;
  min-height: 0;
  flex: 1;
}
.size {
  --number-width: 64px;
  display: flex;
  gap: 6px;
  align-items: center;
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
.tools {
  display: flex;
  align-items: center;
  gap: 16px;
  padding: 9px 16px;
  border-top: 1px solid var(--rule);
}
.light {
  display: flex;
  align-items: center;
  gap: 8px;
}
.light input {
  width: 120px;
  accent-color: var(--ink);
}
.space {
  flex: 1;
}
</style>
