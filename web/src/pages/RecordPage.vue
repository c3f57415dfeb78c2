<script setup lang="ts">
// A project's record: who did what when, with the way back where there is one.
import { computed, ref } from 'vue';
import { useRoute } from 'vue-router';

import { useUndo, type StepView } from '@/lib/page/steps';
import RecordList from '@/parts/studio/RecordList.vue';

const route = useRoute();
const slug = computed(() => String(route.params.slug));
const { undoStep } = useUndo(slug);
const list = ref<InstanceType<typeof RecordList> | null>(null);

async function undo(step: StepView): Promise<void> {
  await undoStep(step);
  await list.value?.refetch();
}
</script>

<template>
  <main v-keep-scroll class="page">
    <h1>Record</h1>
    <p class="soft">Who did what in this project, newest first. It is kept for as long as the project is.</p>
    <RecordList ref="list" :slug="slug" @undo="undo" />
  </main>
</template>

<style scoped>
.page {
  flex: 1;
  min-width: 0;
  overflow: auto;
  padding: 18px 24px 48px 20px;
}
.page > * {
  max-width: 980px;
}
</style>
