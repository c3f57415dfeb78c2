<script setup lang="ts">
// The versions of the house rules, newest first.
import type { RulesView } from '@/api/arriving';

defineProps<{ view: RulesView; slug: string }>();
const emit = defineEmits<{ takeUp: [number: number] }>();
</script>

<template>
  <section>
    <h2>Versions</h2>
    <div v-for="version in view.versions" :key="version.number" class="version">
      <span class="mono">v{{ version.number }}</span>
      <span>{{ version.what }}</span>
      <span class="soft">{{ version.by }}</span>
      <span class="soft">{{ new Date(version.at).toLocaleDateString() }}</span>
      <a class="link soft" :href="`/api/projects/${slug}/rules/${version.number}/document`" download
        >Export</a
      >
      <button
        v-if="view.may_edit && version.number !== view.version"
        class="plain link soft"
        @click="emit('takeUp', version.number)"
      >
        Take up again
      </button>
    </div>
    <p v-if="!view.versions.length" class="soft hint">
      Nothing has been written yet. Keep these rules to make version 1.
    </p>
  </section>
</template>

<style scoped>
.version {
  display: grid;
  grid-template-columns: 40px minmax(0, 1fr) 70px 90px 60px;
  gap: 12px;
  padding: 6px 0;
  border-bottom: 1px solid var(--rule);
}
</style>
