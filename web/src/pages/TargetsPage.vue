<script setup lang="ts">
// The targets that the project has taken, and all that the studio has.
import Button from 'primevue/button';
import { computed, ref, useTemplateRef } from 'vue';
import { useRoute, useRouter } from 'vue-router';

import { api, take, type Schemas } from '@/api/client';
import { useTargets, useTargetsRefresh } from '@/api/targets';
import { useSay } from '@/lib/page/say';
import NameDialog from '@/parts/widgets/NameDialog.vue';
import ProjectTargets from '@/parts/targets/ProjectTargets.vue';
import TargetExample from '@/parts/targets/TargetExample.vue';
import Trouble from '@/parts/widgets/Trouble.vue';

const route = useRoute();
const router = useRouter();
const slug = computed(() => String(route.params.slug));
const targets = useTargets();
const refresh = useTargetsRefresh();
const say = useSay();
const naming = ref(false);
const learning = ref(false);
function learned(name: string): void {
  learning.value = false;
  void refresh();
  open(name);
}
const file = useTemplateRef<HTMLInputElement>('file');

function open(name: string): void {
  void router.push({ name: 'target', params: { slug: slug.value, name } });
}
async function make(title: string): Promise<boolean> {
  try {
    const made = await take(api.POST('/api/targets', { body: { title, copy_of: '' } }));
    await refresh();
    open(made.name);
    return true;
  } catch (error) {
    say.wrong(error);
    return false;
  }
}
async function bringIn(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement;
  const chosen = input.files?.[0];
  input.value = '';
  if (!chosen) return;
  const form = new FormData();
  form.append('file', chosen);
  try {
    const made = await take(
      api.POST('/api/targets/import', {
        body: form as unknown as { file: string },
        bodySerializer: (body) => body as unknown as FormData,
      }),
    );
    await refresh();
    say.done(made.draft ? `${made.title} is here as a draft.` : `${made.title} is here already, just so.`);
    open(made.name);
  } catch (error) {
    say.wrong(error);
  }
}
function state(line: Schemas['TargetLine']): string {
  if (line.deprecated) return line.successor ? `deprecated; ${line.successor} takes its place` : 'deprecated';
  if (line.draft) return `being drafted${line.draft.by ? ` by ${line.draft.by}` : ''}`;
  return line.behind ? `${line.behind} ${line.behind === 1 ? 'project' : 'projects'} behind` : '';
}
</script>

<template>
  <Trouble v-if="targets.isError.value" :error="targets.error.value" @again="targets.refetch()" />
  <main v-else v-keep-scroll class="page">
    <h1 v-term="'target'">Targets</h1>
    <p class="soft intro">
      What each engine wants: which textures, what lies in their channels, how they are named and stored. Sets
      are built, proved and delivered for every target of the project.
    </p>
    <div class="head"><h2>In this project</h2></div>
    <ProjectTargets :slug="slug" />
    <div class="head part">
      <h2>In the studio</h2>
      <span v-if="targets.data.value?.may_edit" class="acts">
        <Button label="New target" @click="naming = true" />
        <Button label="From an example…" severity="secondary" @click="learning = true" />
        <Button label="From a file…" severity="secondary" @click="file?.click()" />
        <input
          ref="file"
          type="file"
          accept=".json,application/json"
          class="unseen"
          tabindex="-1"
          aria-label="A target’s JSON"
          @change="bringIn"
        />
      </span>
    </div>
    <RouterLink
      v-for="line in targets.data.value?.targets ?? []"
      :key="line.name"
      class="target"
      :to="{ name: 'target', params: { slug, name: line.name } }"
    >
      <strong>{{ line.title }}</strong>
      <span class="mono">{{ line.version ? `v${line.version}` : 'draft' }}</span>
      <span class="soft about">{{ line.summary }}</span>
      <span>{{ line.outputs }} {{ line.outputs === 1 ? 'output' : 'outputs' }}</span>
      <span>{{ line.projects }} {{ line.projects === 1 ? 'project' : 'projects' }}</span>
      <span class="state">{{ state(line) ? `◆ ${state(line)}` : '' }}</span>
    </RouterLink>
    <NameDialog v-if="naming" title="New target" name="" act="Begin" :send="make" @close="naming = false" />
    <TargetExample v-if="learning" @close="learning = false" @made="learned" />
  </main>
</template>

<style scoped>
.page {
  flex: 1;
  padding: 18px 20px 40px;
  overflow: auto;
  min-width: 0;
}
.intro {
  margin: 4px 0 18px;
  max-width: 760px;
}
.part {
  margin-top: 30px;
}
.acts {
  display: flex;
  gap: 10px;
}
.target {
  display: grid;
  grid-template-columns: 150px 40px minmax(0, 1fr) 70px 70px fit-content(150px);
  gap: 14px;
  align-items: baseline;
  padding: 7px 8px;
  border-bottom: 1px solid var(--rule);
}
.target:hover {
  background: var(--wash);
}
.about {
  line-height: 1.35;
}
.state {
  color: var(--ochre);
}
</style>
