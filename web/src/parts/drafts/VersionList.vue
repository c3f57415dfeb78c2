<script setup lang="ts">
// The versions of a document, newest first: what differs from now, and taking an older one back.
import { ref } from 'vue';

import type { Schemas } from '@/api/client';
import { useSay } from '@/lib/page/say';
import { dayWords } from '@/lib/values/local';

const props = defineProps<{
  versions: Schemas['VersionLine'][];
  newest: number;
  mayEdit: boolean;
  compare: (number: number) => Promise<Schemas['Difference'][]>;
  /** What a part of the document is called. */
  words: (part: string) => string;
  address: (number: number) => string;
}>();
const emit = defineEmits<{ takeUp: [number: number] }>();
const say = useSay();
const opened = ref<number | null>(null);
const differences = ref<Schemas['Difference'][]>([]);

async function open(number: number): Promise<void> {
  if (opened.value === number) {
    opened.value = null;
    return;
  }
  try {
    differences.value = await props.compare(number);
    opened.value = number;
  } catch (error) {
    say.wrong(error);
  }
}
function shown(value: unknown): string {
  if (value === null || value === undefined || value === '') return 'none';
  if (Array.isArray(value)) return value.length ? value.map(shown).join(', ') : 'none';
  if (typeof value === 'object')
    return Object.entries(value)
      .map(([key, part]) => `${key} ${shown(part)}`)
      .join(', ');
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  return typeof value === 'number' ? String(value) : (value as string);
}
function restore(number: number): void {
  opened.value = null;
  emit('takeUp', number);
}
</script>

<template>
  <section class="versions" aria-label="Versions">
    <h2>Versions</h2>
    <template v-for="version in versions" :key="version.number">
      <div class="version">
        <span class="mono">v{{ version.number }}</span>
        <span>{{ version.what }}</span>
        <span class="soft">{{ version.by }}</span>
        <span class="soft">{{ dayWords(version.at) }}</span>
        <a class="link soft" :href="address(version.number)" download>Export</a>
        <button
          v-if="version.number !== newest"
          class="plain link soft"
          :aria-expanded="opened === version.number"
          @click="open(version.number)"
        >
          Compare with now
        </button>
        <span v-else class="soft">now</span>
      </div>
      <div v-if="opened === version.number" class="differences">
        <p v-if="!differences.length" class="soft">It is the same as now.</p>
        <table v-else>
          <thead>
            <tr>
              <th scope="col">differs</th>
              <th scope="col">now</th>
              <th scope="col">in v{{ version.number }}</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="entry in differences" :key="entry.part">
              <th scope="row">{{ words(entry.part) }}</th>
              <td>{{ shown(entry.now) }}</td>
              <td>{{ shown(entry.then) }}</td>
            </tr>
          </tbody>
        </table>
        <button v-if="mayEdit && differences.length" class="plain link" @click="restore(version.number)">
          Restore v{{ version.number }}
        </button>
      </div>
    </template>
  </section>
</template>

<style scoped>
.versions {
  margin-top: 28px;
}
h2 {
  padding-bottom: 7px;
  border-bottom: 1px solid var(--ink);
}
.version {
  display: grid;
  grid-template-columns: 40px minmax(0, 1fr) 70px 90px 56px 120px;
  gap: 12px;
  padding: 6px 0;
  border-bottom: 1px solid var(--rule);
}
.differences {
  padding: 8px 0 12px 52px;
  border-bottom: 1px solid var(--rule);
  display: grid;
  gap: 8px;
  justify-items: start;
}
table {
  border-collapse: collapse;
}
th,
td {
  text-align: left;
  vertical-align: top;
  font-weight: 400;
  padding: 3px 20px 3px 0;
  overflow-wrap: anywhere;
}
thead th {
  color: var(--soft);
}
</style>
