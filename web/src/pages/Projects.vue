<script setup lang="ts">
// The projects that somebody belongs to, and the way to another.
import Button from 'primevue/button';
import { computed, ref } from 'vue';

import { useProjects } from '@/api/queries';
import { useBeginnings, type ProjectLine } from '@/api/studio';
import { useAddress } from '@/lib/page/address';
import NewProject from '@/parts/frame/NewProject.vue';
import TopBar from '@/parts/frame/TopBar.vue';
import Trouble from '@/parts/widgets/Trouble.vue';
import { dayWords } from '@/lib/values/local';

const projects = useProjects();
const beginnings = useBeginnings();
const making = ref(false);
const archive = useAddress('archive', false);
const ROLES = { lead: 'you lead', artist: 'you work here', guest: 'you may look' };

const all = computed(() => projects.data.value ?? []);
const open = computed(() => all.value.filter((project) => !project.archived));
const archived = computed(() => all.value.filter((project) => project.archived));
const mayMake = computed(() => beginnings.data.value?.may_make ?? false);
const first = computed(() => projects.data.value?.length === 0 && mayMake.value);

/** What waits for a person: questions first, else files that belong to no set. */
function openWords(project: ProjectLine): string {
  if (project.questions) return `◆ ${project.questions} open question${project.questions === 1 ? '' : 's'}`;
  return project.open_files ? `◆ ${project.open_files} to assign` : '';
}
function delivered(project: ProjectLine): string {
  if (!project.delivered) return 'never delivered';
  const day = dayWords(project.delivered);
  return `delivered ${day}${project.delivered_for ? ` for ${project.delivered_for}` : ''}`;
}
</script>

<template>
  <div class="page">
    <TopBar />
    <Trouble v-if="projects.isError.value" :error="projects.error.value" @again="projects.refetch()" />
    <main v-else id="content" v-keep-scroll class="list" tabindex="-1">
      <div class="column">
        <header class="top">
          <h1>Projects</h1>
          <span class="space" />
          <Button
            v-if="mayMake && !making && !first"
            label="New project"
            severity="secondary"
            @click="making = true"
          />
        </header>
        <NewProject v-if="making || first" :first="first" @close="making = false" />
        <div v-if="open.length" class="head soft"><span>project</span><span>sets</span></div>
        <RouterLink
          v-for="project in [...open, ...(archive ? archived : [])]"
          :key="project.slug"
          class="project"
          :to="{ name: 'board', params: { slug: project.slug } }"
        >
          <span class="name">
            <span class="title">{{ project.title }}</span>
            <span class="soft"
              >{{ ROLES[project.role] }}, for {{ project.target_title
              }}{{ project.archived ? ', archived' : '' }}</span
            >
          </span>
          <span class="pictures" aria-hidden="true">
            <img
              v-for="(edit, set) in project.pictures"
              :key="set"
              class="thumb"
              :src="`/api/sets/${set}/lit?v=${edit}`"
              alt=""
              loading="lazy"
            />
          </span>
          <span class="state">
            <span class="open">{{ openWords(project) }}</span>
            <span class="soft">{{ delivered(project) }}</span>
          </span>
          <span class="mono">{{ project.sets }}</span>
        </RouterLink>
        <p
          v-if="projects.data.value && beginnings.data.value && !all.length && !first && !making"
          class="soft none"
        >
          You are a member of no project yet. Ask a lead for an invitation: a link that makes you one.
        </p>
        <button v-if="archived.length" class="plain link soft more" @click="archive = !archive">
          {{
            archive
              ? 'Hide archived projects'
              : `Show ${archived.length} archived ${archived.length === 1 ? 'project' : 'projects'}`
          }}
        </button>
      </div>
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
  flex: 1;
  overflow: auto;
}
.column {
  width: min(980px, 100% - 40px);
  margin: 40px auto;
}
.top {
  display: flex;
  align-items: baseline;
  gap: 18px;
}
.space {
  flex: 1;
}
.head {
  margin-top: 26px;
}
.project {
  display: grid;
  grid-template-columns: minmax(170px, 1.1fr) minmax(0, 1.5fr) 220px 40px;
  gap: 16px;
  align-items: center;
  min-height: 62px;
  border-bottom: 1px solid var(--rule);
}
.project:hover {
  background: var(--wash);
}
.name,
.state {
  display: grid;
  gap: 1px;
}
.name {
  padding-left: 8px;
}
.title {
  font-weight: 650;
  font-size: 15px;
  overflow-wrap: anywhere;
}
.pictures {
  display: flex;
  background: none;
  overflow: hidden;
  min-height: 44px;
}
.pictures .thumb {
  width: 44px;
  height: 44px;
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
.more {
  margin-top: 14px;
}
</style>
