<script setup lang="ts">
import { computed } from 'vue';
import { useRoute } from 'vue-router';

import { useArrivals, useBoard, useMayWork, useOpenFiles } from '@/api/queries';
import ArrivalReport from '@/parts/ArrivalReport.vue';
import OpenFile from '@/parts/OpenFile.vue';
import Trouble from '@/parts/Trouble.vue';
import UploadPanel from '@/parts/UploadPanel.vue';

const route = useRoute();
const slug = computed(() => String(route.params.slug));
const board = useBoard(slug);
const arrivals = useArrivals(slug);
const open = useOpenFiles(slug);
const mayWork = useMayWork(slug);
</script>

<template>
  <main class="page">
    <h1>Arrivals</h1>
    <UploadPanel v-if="mayWork" :slug="slug" />
    <p v-else class="soft">You may look at this project. Bringing maps in takes the role artist.</p>
    <Trouble v-if="arrivals.isError.value" :error="arrivals.error.value" @again="arrivals.refetch()" />
    <section v-if="open.data.value?.length" aria-label="Belongs to no set">
      <div class="head">
        <h2>Belongs to no set</h2>
        <span class="soft">Say what each is; its set's ledger follows at once.</span>
      </div>
      <OpenFile
        v-for="file in open.data.value"
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
