<script setup lang="ts">
// What differs between two versions of a target, row by row, and what each difference does to outputs that were built.
import type { TargetChange } from '@/api/targets';

defineProps<{ changes: readonly TargetChange[] }>();
const HEAVY = new Set(['built again', 'added', 'removed']);
</script>

<template>
  <p v-if="!changes.length" class="soft">Nothing differs.</p>
  <table v-else class="changes">
    <thead>
      <tr>
        <th scope="col">Output</th>
        <th scope="col">Part</th>
        <th scope="col">Was</th>
        <th scope="col">Becomes</th>
        <th scope="col">What it does</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="(change, at) in changes" :key="at">
        <th scope="row">{{ change.output ? change.title : 'The target' }}</th>
        <td>{{ change.part }}</td>
        <td class="was">{{ change.was || 'nothing' }}</td>
        <td>{{ change.becomes || 'nothing' }}</td>
        <td :class="{ heavy: HEAVY.has(change.effect) }">{{ change.effect }}</td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.changes {
  width: 100%;
  border-collapse: collapse;
}
th,
td {
  padding: 5px 12px 5px 0;
  border-bottom: 1px solid var(--rule);
  text-align: left;
  vertical-align: top;
  font-weight: 400;
  overflow-wrap: anywhere;
}
thead th {
  color: var(--soft);
}
tbody th {
  font-weight: 600;
}
.was {
  color: var(--soft);
  text-decoration: line-through;
}
.heavy {
  color: var(--ochre);
}
</style>
