<script setup lang="ts">
// How the picture on the table is seen: by which channel, tiled, exposed, with clipped texels marked, how large.
import type { Look } from './painter';
import type { View } from '@/lib/pictures/pictures';
import { fixed } from '@/lib/values/local';

defineProps<{ views: View[]; shown: View; grey: boolean; zoom: number }>();
const look = defineModel<Look>('look', { required: true });
const emit = defineEmits<{
  view: [view: View];
  expose: [by: number];
  seams: [];
  zoom: [to: 'fit' | 'one'];
}>();
</script>

<template>
  <div class="strip mono">
    <button
      v-for="view in views"
      :key="view"
      class="tool"
      :class="{ on: view === shown }"
      :aria-pressed="view === shown"
      @click="emit('view', view)"
    >
      {{ view === 'RGB' && grey ? 'Y' : view }}
    </button>
    <span class="bar" />
    <button
      v-for="count in [1, 2, 3]"
      :key="count"
      class="tool"
      :class="{ on: look.times === count }"
      :aria-pressed="look.times === count"
      :title="count === 1 ? 'once' : `tiled ${count} × ${count}`"
      @click="look.times = count"
    >
      {{ count }}×{{ count }}
    </button>
    <span class="bar" />
    <button class="tool" title="Half a stop darker (,)" @click="emit('expose', -0.5)">−</button>
    <button class="tool wide" title="Back to no change" @click="look.exposure = 0">
      {{ look.exposure > 0 ? '+' : '' }}{{ fixed(look.exposure, 1) }} stops
    </button>
    <button class="tool" title="Half a stop lighter (.)" @click="emit('expose', 0.5)">+</button>
    <span class="bar" />
    <button class="tool" title="Where four tiles meet (S)" @click="emit('seams')">seams</button>
    <button
      class="tool"
      :class="{ on: look.clipping }"
      :aria-pressed="look.clipping"
      title="Mark texels at 0 and at the top (C)"
      @click="look.clipping = !look.clipping"
    >
      clipping
    </button>
    <span class="space" />
    <button class="tool" title="Whole picture (0)" @click="emit('zoom', 'fit')">whole</button>
    <button class="tool wide" title="One screen pixel a texel (Z)" @click="emit('zoom', 'one')">
      {{ zoom >= 1 ? fixed(zoom, zoom < 10 ? 1 : 0) : fixed(zoom, 2) }}×
    </button>
  </div>
</template>

<style scoped>
.wide {
  min-width: 66px;
}
.bar {
  width: 1px;
  height: 14px;
  background: #4a525c;
  margin: 0 4px;
}
</style>
