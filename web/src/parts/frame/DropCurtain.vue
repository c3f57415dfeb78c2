<script setup lang="ts">
// The whole project is a place to drop files on.
import { onBeforeUnmount, onMounted, ref, toRef } from 'vue';
import { useRouter } from 'vue-router';

import { useMayWork, useRefresh } from '@/api/queries';
import { carriesFiles, fromDrop } from '@/stores/drops';
import { useUploads } from '@/stores/uploads';

const props = defineProps<{ slug: string; title: string }>();
const slug = toRef(props, 'slug');
const over = ref(false);
const uploads = useUploads();
const mayWork = useMayWork(slug);
const refresh = useRefresh(slug);
const router = useRouter();
let depth = 0;

function enter(event: DragEvent): void {
  if (!carriesFiles(event)) return;
  depth++;
  over.value = true;
}
function leave(): void {
  depth = Math.max(0, depth - 1);
  over.value = depth > 0;
}
function hover(event: DragEvent): void {
  if (carriesFiles(event)) event.preventDefault();
}
async function drop(event: DragEvent): Promise<void> {
  if (!carriesFiles(event) || !event.dataTransfer) return;
  event.preventDefault();
  depth = 0;
  over.value = false;
  if (!mayWork.value) return;
  const dropped = await fromDrop(event.dataTransfer);
  void router.push({ name: 'arrivals', params: { slug: props.slug } });
  await uploads.send(props.slug, dropped);
  refresh();
}

const LISTENERS = { dragenter: enter, dragleave: leave, dragover: hover, drop } as const;
onMounted(() => {
  for (const [name, listener] of Object.entries(LISTENERS))
    window.addEventListener(name, listener as EventListener);
});
onBeforeUnmount(() => {
  for (const [name, listener] of Object.entries(LISTENERS))
    window.removeEventListener(name, listener as EventListener);
});
</script>

<template>
  <div v-if="over" class="curtain">
    <div class="words">
      <template v-if="mayWork">
        <strong>Drop to bring into {{ title }}</strong>
        <span>Files, a folder, or a zip. What is already here stays as it is.</span>
      </template>
      <template v-else>
        <strong>You may look, but not bring files in</strong>
        <span>Ask a lead of {{ title }} for the role artist.</span>
      </template>
    </div>
  </div>
</template>

<style scoped>
.curtain {
  position: fixed;
  inset: 0;
  z-index: 900;
  background: color-mix(in srgb, var(--paper) 88%, transparent);
  display: grid;
  place-items: center;
  pointer-events: none;
}
.words {
  display: grid;
  gap: 4px;
  text-align: center;
  border-block: 1px solid var(--ink);
  padding: 22px 60px;
}
strong {
  font-size: 20px;
  letter-spacing: -0.01em;
}
</style>
