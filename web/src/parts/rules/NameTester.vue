<script setup lang="ts">
// Names held against rules while they are written: type them, or drop files to try theirs.
import { onBeforeUnmount, ref, watch } from 'vue';

import { tryNames, type HouseRules, type NameTried } from '@/api/arriving';
import { ApiError } from '@/api/client';
import { carriesFiles, fromDrop } from '@/stores/drops';

const props = defineProps<{ slug: string; rules: HouseRules }>();
const MOST = 200;
const PAUSE = 250;
const text = ref('oak_bark_albedo.png\nT_OakBark_N.tga\noak bark - Roughness.png');
const tried = ref<NameTried[]>([]);
const problem = ref('');
let waiting = 0;
let asked = 0;

watch(
  () => [text.value, JSON.stringify(props.rules)],
  () => {
    window.clearTimeout(waiting);
    waiting = window.setTimeout(() => void ask(), PAUSE);
  },
  { immediate: true },
);

onBeforeUnmount(() => window.clearTimeout(waiting));

async function ask(): Promise<void> {
  const names = text.value
    .split('\n')
    .map((name) => name.trim())
    .filter(Boolean)
    .slice(0, MOST);
  const mine = ++asked;
  try {
    const answer = await tryNames(props.slug, { ...props.rules, hold: true }, names);
    if (mine !== asked) return;
    tried.value = answer;
    problem.value = '';
  } catch (error) {
    if (mine === asked)
      problem.value = error instanceof ApiError ? error.problem : 'The rules cannot be tried.';
  }
}
async function drop(event: DragEvent): Promise<void> {
  if (!event.dataTransfer || !carriesFiles(event)) return;
  const dropped = await fromDrop(event.dataTransfer);
  text.value = dropped
    .slice(0, MOST)
    .map((entry) => entry.path)
    .join('\n');
}
</script>

<template>
  <section aria-label="Try names" @dragover.prevent.stop @drop.prevent.stop="drop">
    <div class="head"><h2>Try names</h2></div>
    <textarea
      v-model="text"
      class="mono"
      rows="4"
      spellcheck="false"
      aria-label="Names to try, one a line"
      placeholder="one name a line, or drop files here"
    />
    <p v-if="problem" class="wrong" role="alert">✕ These rules make no sense yet: {{ problem }}</p>
    <div v-for="entry in problem ? [] : tried" :key="entry.name" class="tried">
      <span :class="entry.holds ? 'good' : 'bad'" aria-hidden="true">{{ entry.holds ? '✓' : '◆' }}</span>
      <div>
        <div class="mono name">{{ entry.name }}</div>
        <div class="soft">{{ entry.meaning }}</div>
        <div v-for="line in entry.breaks" :key="line">{{ line }}</div>
        <div v-if="entry.holds" class="good">holds</div>
        <div v-else-if="!entry.would_be" class="soft">A person is asked what it is.</div>
      </div>
    </div>
  </section>
</template>

<style scoped>
textarea {
  width: 100%;
  margin-top: 8px;
  padding: 7px 9px;
  line-height: 1.7;
  resize: vertical;
  background: var(--sheet);
  color: var(--ink);
  border: 1px solid color-mix(in srgb, var(--ink) 32%, transparent);
  border-radius: 3px;
}
.tried {
  display: grid;
  grid-template-columns: 14px minmax(0, 1fr);
  gap: 8px;
  padding: 7px 0;
  border-bottom: 1px solid var(--rule);
}
.name {
  overflow-wrap: anywhere;
  line-height: 1.6;
}
.good {
  color: var(--verdigris);
}
.bad {
  color: var(--ochre);
}
.wrong {
  color: var(--madder);
  padding-top: 8px;
}
</style>
