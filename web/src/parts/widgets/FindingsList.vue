<script setup lang="ts">
// What checks saw, worst first, each with the picture that it was seen in.
import { ref, watch } from 'vue';

import type { Finding } from '@/api/client';
import { evidenceUrl } from '@/lib/pictures/pictures';

import StateGlyph from './StateGlyph.vue';

const props = defineProps<{ findings: Finding[]; lit: string | null }>();
const emit = defineEmits<{ choose: [property: string]; difference: [finding: Finding] }>();
/** The finding whose picture is open, by its place in the list. */
const open = ref<number | null>(null);
watch(
  () => props.findings,
  () => (open.value = null),
);
function picture(finding: Finding): string {
  const { file, kind, channel } = finding.shown ?? { file: '', kind: '', channel: null };
  return evidenceUrl(file, kind, channel);
}
const STATE = { error: 'wrong', warning: 'look', note: 'note' } as const;
</script>

<template>
  <ul class="findings">
    <li
      v-for="(finding, index) in findings"
      :key="index"
      :class="{ lit: finding.property && finding.property === lit }"
    >
      <StateGlyph :state="STATE[finding.severity]" />
      <div class="text">
        <div>
          <span class="message">{{ finding.message }}</span>
          <span class="soft subject">{{ finding.subject }}</span>
        </div>
        <div class="soft">{{ finding.way_out }}</div>
        <figure v-if="open === index && finding.shown">
          <img :src="picture(finding)" :alt="finding.shown.caption" />
          <figcaption class="soft">{{ finding.shown.caption }}</figcaption>
        </figure>
      </div>
      <button
        v-if="finding.shown"
        class="plain thumb"
        :aria-expanded="open === index"
        :aria-label="`Picture: ${finding.shown.caption}`"
        :title="finding.shown.caption"
        @click="open = open === index ? null : index"
      >
        <img :src="picture(finding)" alt="" loading="lazy" width="36" height="36" />
      </button>
      <button
        v-if="typeof finding.level === 'number'"
        class="plain link"
        @click="emit('difference', finding)"
      >
        Show the difference
      </button>
      <button v-else-if="finding.property" class="plain link" @click="emit('choose', finding.property)">
        Show
      </button>
    </li>
    <li v-if="!findings.length">
      <StateGlyph state="holds" />
      <div class="text">
        Nothing stands in the way. <span class="soft">Sources, sizes and directions were looked at.</span>
      </div>
    </li>
  </ul>
</template>

<style scoped>
.findings {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: flex;
  gap: 10px;
  padding: 8px;
  border-bottom: 1px solid var(--rule);
  align-items: flex-start;
}
.lit {
  background: var(--wash);
}
.text {
  flex: 1;
  overflow-wrap: anywhere;
}
.message {
  font-weight: 550;
}
.subject {
  margin-left: 7px;
}
.thumb {
  flex: none;
  width: 36px;
  height: 36px;
  background: var(--well);
}
.thumb img {
  display: block;
  width: 36px;
  height: 36px;
  object-fit: cover;
}
figure {
  margin: 8px 0 2px;
}
figure img {
  display: block;
  width: min(384px, 100%);
  background: var(--well);
}
figcaption {
  margin-top: 4px;
}
</style>
