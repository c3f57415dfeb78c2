<script setup lang="ts">
// A lit shape under a turning light; a normal map under both readings side by side.
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue';
import type { BufferGeometry } from 'three';

import type { SetView } from '@/api/client';
import { meshOf, LitStage, type LitMaps, type LitShape } from '@/lib/lit';

const props = defineProps<{ set: SetView | undefined; normal: number | null }>();
const SHAPES: LitShape[] = ['plane', 'sphere', 'cube', 'own mesh'];
const SPEED = 0.7;
const canvas = ref<HTMLCanvasElement | null>(null);
const chooser = ref<HTMLInputElement | null>(null);
const shape = ref<LitShape>('plane');
const turning = ref(false);
const failure = ref('');
const own = shallowRef<BufferGeometry | null>(null);
let stage: LitStage | null = null;

const maps = computed<LitMaps>(() => {
  const row = (key: string) => props.set?.lines.find((line) => line.property === key);
  const address = (line: ReturnType<typeof row>, view: string) =>
    line?.file
      ? `/api/files/${line.file.id}/picture?view=${view}&size=whole&v=${line.file.sha256.slice(0, 12)}`
      : null;
  const rough = row('roughness');
  const normal = props.normal ?? row('normal')?.file?.id ?? null;
  return {
    colour: address(row('base_colour'), 'RGB'),
    normal: normal === null ? null : `/api/files/${normal}/picture?view=RGB&size=whole`,
    roughness: rough?.row
      ? {
          url: address(rough, rough.row.channels[0] === 'Y' ? 'RGB' : (rough.row.channels[0] ?? 'RGB')) ?? '',
          channel: rough.row.channels[0] ?? 'R',
          inverted: rough.row.inverted ?? false,
        }
      : null,
  };
});

async function take(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement;
  const file = input.files?.[0];
  input.value = '';
  if (!file) return;
  try {
    own.value = await meshOf(file);
    failure.value = '';
    shape.value = 'own mesh';
    stage?.shape('own mesh', own.value);
  } catch (error) {
    failure.value = `${file.name} ${error instanceof Error ? error.message : 'cannot be read.'}`;
  }
}
function choose(kind: LitShape): void {
  if (kind === 'own mesh' && !own.value) return chooser.value?.click();
  shape.value = kind;
  stage?.shape(kind, own.value);
}

watch(maps, (now) => void stage?.dress(now), { deep: true });
watch(turning, (now) => {
  if (!stage) return;
  stage.turning = now ? SPEED : 0;
  stage.draw();
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
  void stage.dress(maps.value);
});
onBeforeUnmount(() => {
  watcher.disconnect();
  stage?.dispose();
});
</script>

<template>
  <section class="lit" aria-label="Lit shape">
    <canvas ref="canvas" aria-label="Lit, read as +Y on the left and as −Y on the right" />
    <div class="read mono"><span>read as +Y</span><span>read as −Y</span></div>
    <div class="tools mono">
      <button
        v-for="kind in SHAPES"
        :key="kind"
        class="tool"
        :class="{ on: shape === kind }"
        :aria-pressed="shape === kind"
        :title="kind === 'own mesh' ? 'A glTF (.glb) or OBJ file; it stays in this browser' : kind"
        @click="choose(kind)"
      >
        {{ kind }}
      </button>
      <span class="space" />
      <button class="tool" :class="{ on: turning }" :aria-pressed="turning" @click="turning = !turning">
        turn the light
      </button>
    </div>
    <p v-if="failure" class="wrong" role="alert">✕ {{ failure }}</p>
    <input ref="chooser" type="file" accept=".glb,.gltf,.obj" hidden @change="take" />
  </section>
</template>

<style scoped>
canvas {
  display: block;
  width: 100%;
  aspect-ratio: 2;
  background: var(--well);
}
.read {
  display: grid;
  grid-template-columns: 1fr 1fr;
  padding: 3px 8px;
  color: var(--soft);
}
.tools {
  display: flex;
  background: #1b2430;
  color: #c9ccd0;
  height: 26px;
}
.tool {
  border: 0;
  background: none;
  color: inherit;
  padding: 0 8px;
  cursor: pointer;
  font-size: 10.5px;
}
.tool:hover {
  color: #fff;
}
.on {
  background: #f6f4ef;
  color: #1b2430;
}
.space {
  flex: 1;
}
.wrong {
  color: var(--madder);
  padding: 6px 8px;
}
</style>
