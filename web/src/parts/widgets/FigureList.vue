<script setup lang="ts">
// What was measured on a file, line by line, each with the picture that it came from.
import type { FileDetail } from '@/api/arriving';
import { evidenceUrl } from '@/lib/pictures/pictures';

export type Figure = FileDetail['figures'][number];
defineProps<{ fileId: number; stamp: string; figures: Figure[]; isShown: (figure: Figure) => boolean }>();
const emit = defineEmits<{ show: [figure: Figure] }>();
</script>

<template>
  <section aria-label="What the pixels say">
    <div class="head"><h2>What the pixels say</h2></div>
    <div v-for="(figure, index) in figures" :key="index" class="figure" :class="{ look: figure.look }">
      <span class="soft">{{ figure.what }}</span>
      <span class="says">{{ figure.look ? '◆ ' : '' }}{{ figure.says }}</span>
      <button
        v-if="figure.kind"
        class="plain thumb"
        :class="{ on: isShown(figure) }"
        :title="figure.caption"
        :aria-label="`Show ${figure.what || figure.says}: ${figure.caption}`"
        :aria-pressed="isShown(figure)"
        @click="emit('show', figure)"
      >
        <img
          :src="evidenceUrl(fileId, figure.kind, figure.channel, stamp)"
          alt=""
          loading="lazy"
          width="34"
          height="34"
        />
      </button>
    </div>
    <p v-if="!figures.length" class="soft none">
      It came before pixels were measured. Drop it again to have that done.
    </p>
  </section>
</template>

<style scoped>
.figure {
  display: grid;
  grid-template-columns: 92px minmax(0, 1fr) 34px;
  gap: 10px;
  align-items: center;
  min-height: 41px;
  border-bottom: 1px solid var(--rule);
}
.look .says {
  color: var(--ochre);
}
.thumb {
  height: 34px;
  background: var(--well);
}
.thumb img {
  display: block;
  width: 34px;
  height: 34px;
  object-fit: cover;
}
.thumb.on {
  outline: 2px solid var(--ink);
  outline-offset: 1px;
}
.none {
  padding-top: 8px;
}
</style>
