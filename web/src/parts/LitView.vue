<script setup lang="ts">
// A lit shape under a turning light; a normal map under both readings side by side.
import { useQueryClient } from '@tanstack/vue-query';
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue';
import type { BufferGeometry } from 'three';

import { putMesh } from '@/api/arriving';
import { ApiError, api, take, type LineView, type SetView } from '@/api/client';
import { useAddress } from '@/lib/address';
import { meshOf, LitStage, type LitMaps, type LitShape } from '@/lib/lit';
import { pictureUrl, ofFile, viewOfLine } from '@/lib/pictures';

const props = defineProps<{ set: SetView; mayWork: boolean; large: boolean }>();
const emit = defineEmits<{ large: [] }>();
const SHAPES: LitShape[] = ['plane', 'sphere', 'cube', 'own mesh'];
const SPEED = 0.7;
const cache = useQueryClient();
const canvas = ref<HTMLCanvasElement | null>(null);
const chooser = ref<HTMLInputElement | null>(null);
const shape = useAddress<LitShape>('shape', 'plane', SHAPES);
const turning = ref(false);
/** Degrees. */
const light = useAddress('light', 34);
const failure = ref('');
const own = shallowRef<BufferGeometry | null>(null);
let stage: LitStage | null = null;

const maps = computed<LitMaps>(() => {
  const row = (key: string) => props.set.lines.find((line) => line.property === key && line.file);
  const address = (line: LineView) =>
    line.file ? pictureUrl(ofFile(line.file), viewOfLine(line), 'whole') : '';
  const [colour, normal, rough] = [row('base_colour'), row('normal'), row('roughness')];
  return {
    colour: colour ? address(colour) : null,
    normal: normal?.file?.channels.includes('G')
      ? { url: address(normal), blue: normal.row?.channels.length !== 2 }
      : null,
    roughness: rough ? { url: address(rough), inverted: rough.row?.inverted ?? false } : null,
  };
});

async function show(mesh: Blob, name: string): Promise<void> {
  own.value = await meshOf(mesh, name);
  failure.value = '';
  shape.value = 'own mesh';
  stage?.shape('own mesh', own.value);
}
/** Whoever may change the set keeps the mesh with it; others look at it in this browser alone. */
async function choose(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement;
  const file = input.files?.[0];
  input.value = '';
  if (!file) return;
  try {
    await show(file, file.name);
    if (props.mayWork) keep(await putMesh(props.set.id, file));
  } catch (error) {
    failure.value = error instanceof ApiError ? words(error) : `${file.name} ${(error as Error).message}`;
  }
}
async function pick(kind: LitShape): Promise<void> {
  if (kind !== 'own mesh') {
    shape.value = kind;
    stage?.shape(kind, null);
    return;
  }
  const kept = props.set.mesh;
  if (!kept) return chooser.value?.click();
  try {
    const answer = await fetch(`/api/sets/${props.set.id}/mesh?v=${kept.sha256.slice(0, 12)}`);
    if (!answer.ok) throw new Error('cannot be fetched. Reload the page.');
    await show(await answer.blob(), kept.name);
  } catch (error) {
    failure.value = `${kept.name} ${(error as Error).message}`;
  }
}
async function takeAway(): Promise<void> {
  const asked = api.DELETE('/api/sets/{set_id}/mesh', { params: { path: { set_id: props.set.id } } });
  try {
    keep(await take(asked));
    void pick('plane');
  } catch (error) {
    failure.value = error instanceof ApiError ? words(error) : String(error);
  }
}
function keep(now: SetView): void {
  cache.setQueryData(['set', now.id], now);
}
function words(error: ApiError): string {
  return `${error.sentence} ${error.wayOut}`;
}

watch(maps, (now) => void stage?.dress(now), { deep: true });
watch(turning, (now) => {
  if (!stage) return;
  stage.turning = now ? SPEED : 0;
  light.value = Math.round((stage.light * 180) / Math.PI) % 360;
  stage.draw();
});
watch(light, (now) => {
  if (stage && !turning.value) stage.light = (now * Math.PI) / 180;
});
const watcher = new ResizeObserver(() => stage?.draw());
onMounted(() => {
  if (!canvas.value) return;
  try {
    stage = new LitStage(canvas.value);
  } catch {
    failure.value = 'This browser has no WebGL 2.';
    return;
  }
  watcher.observe(canvas.value);
  stage.light = (light.value * Math.PI) / 180;
  void stage.dress(maps.value);
  if (shape.value !== 'plane') void pick(shape.value);
});
onBeforeUnmount(() => {
  watcher.disconnect();
  stage?.dispose();
});
</script>

<template>
  <section class="lit" :class="{ large }" aria-label="Lit shape">
    <canvas
      ref="canvas"
      role="application"
      tabindex="0"
      aria-label="Lit, read as +Y on the left and as −Y on the right. Arrow keys turn it."
      @keydown="stage?.key($event.key) && $event.preventDefault()"
    />
    <div class="read mono"><span>read as +Y</span><span>read as −Y</span></div>
    <div class="strip mono">
      <button
        v-for="kind in SHAPES"
        :key="kind"
        class="tool"
        :class="{ on: shape === kind }"
        :aria-pressed="shape === kind"
        :title="kind === 'own mesh' ? (set.mesh?.name ?? 'Choose a glTF (.glb) or OBJ file') : kind"
        @click="pick(kind)"
      >
        {{ kind }}
      </button>
      <span class="space" />
      <button
        class="tool"
        :class="{ on: large }"
        :aria-pressed="large"
        title="In place of the table (L)"
        @click="emit('large')"
      >
        larger
      </button>
    </div>
    <div class="light">
      <label class="soft" for="light">light from</label>
      <input id="light" v-model.number="light" type="range" min="0" max="359" :disabled="turning" />
      <label class="check"><input v-model="turning" type="checkbox" /> turning</label>
    </div>
    <p v-if="shape === 'own mesh' && mayWork" class="soft own">
      {{ set.mesh?.name }}
      <button class="plain link soft" @click="chooser?.click()">Choose another</button>
      <button v-if="set.mesh" class="plain link soft" @click="takeAway">Take it away</button>
    </p>
    <p v-if="failure" class="wrong" role="alert">✕ {{ failure }}</p>
    <input ref="chooser" data-choose="mesh" type="file" accept=".glb,.gltf,.obj" hidden @change="choose" />
  </section>
</template>

<style scoped>
.lit {
  display: flex;
  flex-direction: column;
}
canvas {
  display: block;
  width: 100%;
  aspect-ratio: 1.9;
  min-height: 0;
  background: var(--well);
}
.large {
  flex: 1;
  min-height: 0;
}
.large canvas {
  flex: 1;
  aspect-ratio: auto;
}
.read {
  display: grid;
  grid-template-columns: 1fr 1fr;
  padding: 3px 8px;
  color: var(--soft);
}
.light {
  display: flex;
  align-items: center;
  gap: 10px;
  padding: 8px 16px 4px;
}
.light input[type='range'] {
  flex: 1;
  accent-color: var(--ink);
}
.own {
  display: flex;
  gap: 14px;
  padding: 4px 16px;
}
.wrong {
  color: var(--madder);
  padding: 6px 16px;
}
</style>
