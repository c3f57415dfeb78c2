<script setup lang="ts">
import { computed, ref } from 'vue';
import { useRoute, useRouter } from 'vue-router';

import { useActions } from '@/lib/page/keys';
import { useArrivals, useBoard, useMayWork, useOpenFiles, useProjects } from '@/api/queries';
import ArrivalReport from '@/parts/arrivals/ArrivalReport.vue';
import FirstSteps from '@/parts/board/FirstSteps.vue';
import CutOff from '@/parts/arrivals/CutOff.vue';
import EndingsTable from '@/parts/arrivals/EndingsTable.vue';
import OpenFile from '@/parts/arrivals/OpenFile.vue';
import OpenFilesMany from '@/parts/arrivals/OpenFilesMany.vue';
import OpenQuestions from '@/parts/arrivals/OpenQuestions.vue';
import Trouble from '@/parts/widgets/Trouble.vue';
import UploadPanel from '@/parts/arrivals/UploadPanel.vue';

const route = useRoute();
const slug = computed(() => String(route.params.slug));
const board = useBoard(slug);
const arrivals = useArrivals(slug);
const open = useOpenFiles(slug);
const mayWork = useMayWork(slug);
const projects = useProjects();
const waiting = computed(() => board.data.value?.project.questions ?? 0);
const lead = computed(
  () => projects.data.value?.find((project) => project.slug === slug.value)?.role === 'lead',
);
const asked = ref<number | null>(null);
/** Files of no set that are listed at once. */
const MOST_OPEN = 50;
const assignWords = computed(() => {
  const count = board.data.value?.project.open_files ?? open.data.value?.length ?? 0;
  return count === 1 ? '1 file to a set' : `${count} files to a set`;
});
const router = useRouter();
const VIEWS = [
  { key: 'questions', title: 'Questions' },
  { key: 'endings', title: 'Endings' },
  { key: 'came', title: 'Upload history' },
] as const;
type View = (typeof VIEWS)[number]['key'];
const view = computed<View>(() => VIEWS.find(({ key }) => key === route.query.view)?.key ?? 'questions');
function see(key: View): void {
  void router.replace({ query: key === 'questions' ? {} : { view: key } });
}
useActions({ endings: () => see(view.value === 'endings' ? 'questions' : 'endings') });
</script>

<template>
  <main v-keep-scroll class="page">
    <h1>Arrivals</h1>
    <UploadPanel v-if="mayWork" :slug="slug" />
    <p v-else class="soft">You may look at this project. Bringing maps in takes the role artist.</p>
    <FirstSteps
      v-if="mayWork && board.data.value && !board.data.value.sets.length"
      :slug="slug"
      :board="board.data.value"
    />
    <Trouble v-if="arrivals.isError.value" :error="arrivals.error.value" @again="arrivals.refetch()" />
    <CutOff v-if="mayWork" :slug="slug" />
    <nav class="views" aria-label="Views of what came">
      <button
        v-for="entry in VIEWS"
        :key="entry.key"
        type="button"
        class="plain view"
        :class="{ here: view === entry.key }"
        :aria-current="view === entry.key ? 'page' : undefined"
        @click="see(entry.key)"
      >
        {{ entry.title }}
        <span v-if="entry.key === 'questions' && waiting" class="mono count">{{ waiting }}</span>
        <kbd v-if="entry.key === 'endings'" class="mono faint">e</kbd>
      </button>
    </nav>
    <EndingsTable v-if="view === 'endings'" :slug="slug" :may-work="mayWork" :lead="lead" />
    <OpenQuestions v-if="view === 'questions'" :slug="slug" :may-work="mayWork" :lead="lead" />
    <section v-if="view !== 'endings' && open.data.value?.length" aria-label="Belongs to no set">
      <div class="head">
        <h2>Belongs to no set</h2>
        <button class="plain link soft" @click="asked = asked === null ? 0 : null">
          {{ asked === null ? `Assign ${assignWords}` : 'Fold away' }}
        </button>
      </div>
      <OpenFilesMany
        v-if="mayWork && asked !== null && open.data.value.length > 1"
        :files="open.data.value.slice(0, MOST_OPEN)"
        :sets="board.data.value?.sets ?? []"
        :slug="slug"
      />
      <OpenFile
        v-for="file in asked === null ? [] : open.data.value.slice(0, MOST_OPEN)"
        :key="file.id"
        :file="file"
        :sets="board.data.value?.sets ?? []"
        :slug="slug"
        :may-work="mayWork"
      />
    </section>
    <section v-if="view !== 'endings'" aria-label="Upload history">
      <div class="head"><h2>Upload history</h2></div>
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
.views {
  display: flex;
  gap: 22px;
  border-bottom: 1px solid var(--rule);
}
.view {
  min-height: 32px;
  padding: 0 0 4px;
  border-bottom: 2px solid transparent;
  color: var(--soft);
}
.view.here {
  color: var(--ink);
  font-weight: 650;
  border-bottom-color: var(--madder);
}
.count {
  color: var(--ochre);
}
.none {
  padding: 12px 8px;
}
</style>
