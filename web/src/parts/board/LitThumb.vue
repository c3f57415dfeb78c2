<script setup lang="ts">
// The lit picture of a row in a long list. The server draws what it has never drawn, which takes a moment for each: what is only
// scrolled past is not asked for.
import { onBeforeUnmount, ref, watch } from 'vue';

const props = defineProps<{ src: string; edge: number }>();

const REST = 180;
const shown = ref('');
const image = ref<HTMLImageElement | null>(null);
let timer = 0;
watch(
  () => props.src,
  (src) => {
    window.clearTimeout(timer);
    if (SEEN.has(src)) shown.value = src;
    else timer = window.setTimeout(() => (shown.value = src), REST);
  },
  { immediate: true },
);
onBeforeUnmount(() => {
  window.clearTimeout(timer);
  // What has not come by now is not waited for: the browser lets go of the connection.
  if (image.value && !image.value.complete) image.value.src = '';
});
</script>

<script lang="ts">
/** Pictures that have come once are in the browser's cache. */
const SEEN = new Set<string>();
</script>

<template>
  <img
    v-if="shown"
    ref="image"
    class="thumb"
    :width="edge"
    :height="edge"
    alt=""
    draggable="false"
    :src="shown"
    @load="SEEN.add(shown)"
  />
  <span v-else class="thumb hole" :style="{ width: `${edge}px`, height: `${edge}px` }" />
</template>
