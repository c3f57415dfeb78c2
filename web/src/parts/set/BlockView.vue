<script setup lang="ts">
// The very blocks of an output, decoded by this machine's GPU: what the engine will see.
import { onBeforeUnmount, onMounted, ref, watch } from 'vue';

import { fetchDds, upload } from '@/lib/pictures/dds';
import { COVER, program } from '@/lib/pictures/drawing';
import type { View } from '@/lib/pictures/pictures';

const props = defineProps<{
  url: string;
  view: View;
  /** Whether the output holds colour; data is shown by its value. */
  colour: boolean;
  /** Whether it holds a normal whose blue is to be rebuilt. */
  rebuild: boolean;
  grey: boolean;
  full: boolean;
  /** The level that is shown, at its own size. */
  level: number;
}>();
const canvas = ref<HTMLCanvasElement | null>(null);
const problem = ref('');
const ready = ref(false);
const magnified = ref(false);

const SHOW = `#version 300 es
precision highp float;
uniform sampler2D blocks;
uniform int channel;
uniform bool colour, rebuild, grey;
in vec2 place;
out vec4 shown;
vec3 encode(vec3 v) { return mix(1.055 * pow(max(v, 0.0), vec3(1.0 / 2.4)) - 0.055, v * 12.92, lessThanEqual(v, vec3(0.0031308))); }
void main() {
  vec4 texel = texture(blocks, place);
  if (rebuild) { vec2 n = texel.rg * 2.0 - 1.0; texel.b = sqrt(max(1.0 - dot(n, n), 0.0)) * 0.5 + 0.5; }
  vec3 value = channel > 0 ? vec3(texel[channel - 1]) : grey ? texel.rrr : texel.rgb;
  shown = vec4(colour && channel < 4 ? encode(value) : value, 1.0);
}`;
const CHANNELS: Record<View, number> = { RGB: 0, R: 1, G: 2, B: 3, A: 4 };

let gl: WebGL2RenderingContext | null = null;
let shader: WebGLProgram | null = null;
let texture: WebGLTexture | null = null;

async function load(): Promise<void> {
  ready.value = false;
  try {
    const source = await fetchDds(props.url);
    if (!canvas.value) return;
    if (!gl) {
      gl = canvas.value.getContext('webgl2', { preserveDrawingBuffer: true, alpha: false });
      if (!gl) throw new Error('this browser offers no WebGL 2');
      shader = program(gl, COVER, SHOW);
    }
    const chosen = source.levels[Math.min(props.level, source.levels.length - 1)];
    if (!chosen) throw new Error('it has no levels');
    const { width, height } = chosen;
    const longest = props.full ? 8192 : 1024;
    const share = Math.min(1, longest / Math.max(width, height));
    canvas.value.width = Math.max(1, Math.round(width * share));
    canvas.value.height = Math.max(1, Math.round(height * share));
    gl.deleteTexture(texture);
    magnified.value = Math.max(width, height) < 320;
    texture = upload(gl, { ...source, width, height, levels: [chosen] });
    problem.value = '';
    draw();
    ready.value = true;
  } catch (error) {
    problem.value = error instanceof Error ? error.message : 'it could not be loaded';
  }
}
function draw(): void {
  if (!gl || !shader || !canvas.value || !texture) return;
  gl.viewport(0, 0, canvas.value.width, canvas.value.height);
  gl.useProgram(shader);
  gl.uniform1i(gl.getUniformLocation(shader, 'channel'), CHANNELS[props.view]);
  for (const name of ['colour', 'rebuild', 'grey'] as const) {
    gl.uniform1i(gl.getUniformLocation(shader, name), Number(props[name]));
  }
  gl.drawArrays(gl.TRIANGLES, 0, 3);
}
watch(() => [props.url, props.full, props.level], load);
watch(() => [props.view, props.colour, props.rebuild, props.grey], draw);
onMounted(load);
onBeforeUnmount(() => gl?.getExtension('WEBGL_lose_context')?.loseContext());
</script>

<template>
  <canvas
    v-show="!problem"
    ref="canvas"
    :data-ready="ready"
    class="blocks"
    :class="{ full, magnified }"
    aria-label="The blocks, as the GPU reads them"
  />
  <p v-if="problem" class="problem">The blocks cannot be shown: {{ problem }}.</p>
</template>

<style scoped>
.blocks:not(.full) {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  object-fit: contain;
}
/* A small level is seen texel by texel. */
.blocks.magnified,
.blocks.full {
  image-rendering: pixelated;
}
.problem {
  color: #000;
  padding: 40px;
  text-align: center;
}
</style>
