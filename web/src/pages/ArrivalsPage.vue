<script setup lang="ts">
import { computed, ref } from 'vue';
import { useRoute } from 'vue-router';

import { useArrivals, useBoard, useMayWork, useOpenFiles, useProjects } from '@/api/queries';
import ArrivalReport from '@/parts/ArrivalReport.vue';
import CutOff from '@/parts/CutOff.vue';
import OpenFile from '@/parts/OpenFile.vue';
import OpenQuestions from '@/parts/OpenQuestions.vue';
import Trouble from '@/parts/Trouble.vue';
import UploadPanel from '@/parts/UploadPanel.vue';

const route = useRoute();
const slug = computed(() => String(route.params.slug));
const board = useBoard(slug);
const arrivals = useArrivals(slug);
const open = useOpenFiles(slug);
const mayWork = useMayWork(slug);
const projects = useProjects();
const lead = computed(() => projects.data.value?.find((entry) => entry.slug === slug.value)?.role === 'lead');
const asked = ref<number | null>(null);
</script>

<template>
  <main class="page">
    <h1>Arrivals</h1>
    <UploadPanel v-if="mayWork" :slug="slug" />
    <p v-else class="soft">You may look at this project. Bringing maps in takes the role artist.</p>
    <Trouble v-if="arrivals.isError.value" :error="arrivals.error.value" @again="arrivals.refetch()" />
    <CutOff v-if="mayWork" :slug="slug" />
    <OpenQuestions :slug="slug" :may-work="mayWork" :lead="lead" />
    <section v-if="open.data.value?.length" aria-label="Belongs to no set">
      <div class="head">
        <h2>Belongs to no set</h2>
        <button class="plain link soft" @click="asked = asked === null ? 0 : null">
          {{
            asked === null
              ? `Place ${board.data.value?.project.open_files ?? open.data.value.length} by hand`
              : 'Fold away'
          }}
        </button>
      </div>
      <OpenFile
        v-for="file in asked === null ? [] : open.data.value.slice(0, 50)"
        :key="file.id"
        :file="file"
        :sets="board.data.value?.sets ?? []"
        :slug="slug"
        :may-work="mayWork"
      />
    </section>
    <section aria-label="What came">
      <div class="head"><h2>What came</h2></div>
      <ArrivalReport
        v-for="arrival in arrivals.data.value"
        :key="arrival.id"
        :arrival="arrival"
        :slug="slug"
        :may-work="mayWork"
      />
      <p v-if="arrivals.data.value && !arrivals.data.value.length" class="soft none">
        Nothing has come yet. Drop what your painting program exported: files of one set may lie side by side
        or in folders.
      </p>
    </section>
  </main>
</template>

<style scoped>
.page {
  flex: 1;
  min-width: 0;
  overflow: auto;
  padding: 22px 20px 40px;
  display: flex;
  flex-direction: column;
  gap: 20px;
}
.none {
  padding: 12px 8px;
}
</style>
