<script setup lang="ts">
import type { ProjectView } from '@/api/client';
import { useProjects } from '@/api/queries';
import TopBar from '@/parts/TopBar.vue';
import Trouble from '@/parts/Trouble.vue';

const projects = useProjects();
const ROLES = { lead: 'you lead', artist: 'you work here', guest: 'you may look' };
/** What waits for a person: questions first, else files that belong to no set. */
function openWords(project: ProjectView): string {
  if (project.questions) return `◆ ${project.questions} open question${project.questions === 1 ? '' : 's'}`;
  return project.open_files ? `◆ ${project.open_files} to assign` : '';
}
</script>

<template>
  <div class="page">
    <TopBar />
    <Trouble v-if="projects.isError.value" :error="projects.error.value" @again="projects.refetch()" />
    <main v-else id="content" class="list" tabindex="-1">
      <h1>Projects</h1>
      <div class="head soft"><span>project</span><span>sets</span></div>
      <RouterLink
        v-for="project in projects.data.value"
        :key="project.slug"
        class="project"
        :to="{ name: 'board', params: { slug: project.slug } }"
      >
        <span class="title">{{ project.title }}</span>
        <span class="soft">{{ ROLES[project.role] }}</span>
        <span class="soft">for {{ project.target }}</span>
        <span class="open">{{ openWords(project) }}</span>
        <span class="mono">{{ project.sets }}</span>
      </RouterLink>
      <p v-if="projects.data.value && !projects.data.value.length" class="soft none">
        You are a member of no project yet. Ask a lead to add you.
      </p>
    </main>
  </div>
</template>

<style scoped>
.page {
  height: 100%;
  display: flex;
  flex-direction: column;
}
.list {
  width: min(860px, 100% - 40px);
  margin: 44px auto;
}
.head {
  margin-top: 26px;
}
.project {
  display: grid;
  grid-template-columns: 1.4fr 1fr 1.2fr 1fr 40px;
  align-items: center;
  min-height: 52px;
  border-bottom: 1px solid var(--rule);
}
.project:hover {
  background: var(--wash);
}
.title {
  font-weight: 650;
  font-size: 15px;
  padding-left: 8px;
}
.open {
  color: var(--ochre);
}
.project .mono {
  text-align: right;
  padding-right: 4px;
}
.none {
  padding: 16px 0;
}
</style>
