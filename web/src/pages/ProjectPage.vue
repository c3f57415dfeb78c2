<script setup lang="ts">
// The project itself: what it is called and goes by, who belongs to it, and its end.
import { useQueryClient } from '@tanstack/vue-query';
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import Select from 'primevue/select';
import { computed, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';

import { api, take, type Schemas } from '@/api/client';
import { useBoard, useRefresh } from '@/api/queries';
import { useBeginnings } from '@/api/studio';
import { useAsk } from '@/lib/page/ask';
import { useSay } from '@/lib/page/say';
import MembersPart from '@/parts/studio/MembersPart.vue';

const route = useRoute();
const router = useRouter();
const say = useSay();
const ask = useAsk();
const cache = useQueryClient();
const slug = computed(() => String(route.params.slug));
const board = useBoard(slug);
const beginnings = useBeginnings();
const refresh = useRefresh(slug);
const project = computed(() => board.data.value?.project);
const lead = computed(() => project.value?.role === 'lead');
const mayEdit = computed(() => lead.value && !project.value?.archived);
const title = ref('');
const code = ref('');
const target = ref('');
const typed = ref('');
// How the project stood when somebody began to type: what others do meanwhile is not overwritten without a word.
const seen = ref('');
watch(
  project,
  (now, before) => {
    if (!now) return;
    const typing =
      before &&
      (title.value !== before.title || code.value !== before.code || target.value !== before.target);
    if (!typing) seen.value = now.stamp;
    if (title.value === (before?.title ?? '')) title.value = now.title;
    if (code.value === (before?.code ?? '')) code.value = now.code;
    if (target.value === (before?.target ?? '')) target.value = now.target;
  },
  { immediate: true },
);
const changed = computed(
  () =>
    project.value &&
    (title.value !== project.value.title ||
      code.value !== project.value.code ||
      target.value !== project.value.target),
);
const chosen = computed(() => beginnings.data.value?.targets.find((entry) => entry.name === target.value));
const path = computed(() => ({ slug: slug.value }));

async function done(asked: Promise<unknown>, said: string): Promise<boolean> {
  try {
    await asked;
    await Promise.all([refresh(), cache.invalidateQueries({ queryKey: ['projects'] })]);
    say.done(said);
    return true;
  } catch (error) {
    say.wrong(error);
    return false;
  }
}
function save(): void {
  const body = { title: title.value, code: code.value, target: target.value };
  const params = { path: path.value, query: { seen: seen.value } };
  const kept = done(take(api.PATCH('/api/projects/{slug}', { params, body })), 'The project is changed.');
  // Kept or not, the page has been told by now what stands.
  void kept.then(refresh).then(() => (seen.value = project.value?.stamp ?? ''));
}
function archive(): void {
  ask(
    `Archive ${project.value?.title ?? ''}?`,
    'It can still be looked at, and nothing in it can be changed until a lead brings it back. Jobs that run are stopped.',
    'Archive',
    () =>
      void done(
        take(api.POST('/api/projects/{slug}/archive', { params: { path: path.value } })),
        'The project is archived.',
      ),
  );
}
function bringBack(): void {
  void done(
    take(api.POST('/api/projects/{slug}/bring-back', { params: { path: path.value } })),
    'The project is back.',
  );
}
const chooser = ref<HTMLInputElement | null>(null);
const taken = ref<Schemas['DocumentTaken'] | null>(null);
async function bringIn(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement;
  const file = input.files?.[0];
  if (!file) return;
  const form = new FormData();
  form.append('file', file);
  const body = form as unknown as { file: string };
  const asked = take(
    api.POST('/api/projects/{slug}/document', {
      params: { path: path.value },
      body,
      bodySerializer: () => form,
    }),
  ).then((answer) => (taken.value = answer));
  await done(asked, `${file.name} is imported.`);
  input.value = '';
}
async function remove(): Promise<void> {
  const asked = take(
    api.POST('/api/projects/{slug}/delete', { params: { path: path.value }, body: { title: typed.value } }),
  );
  const name = project.value?.title ?? '';
  try {
    await asked;
    await router.push({ name: 'projects' });
    await cache.invalidateQueries({ queryKey: ['projects'] });
    say.done(`${name} is deleted.`);
  } catch (error) {
    say.wrong(error);
  }
}
</script>

<template>
  <main v-if="project" v-keep-scroll class="page">
    <div class="column">
      <h1>Project and people</h1>
      <p v-if="project.archived" class="archived">
        <span>◆ This project is archived: it is only looked at.</span>
        <Button v-if="lead" label="Bring it back" @click="bringBack" />
      </p>
      <section aria-label="Project">
        <div class="head">
          <h2>Project</h2>
          <span v-if="!lead" class="soft">a lead may change it</span>
        </div>
        <form @submit.prevent="save">
          <label class="line">
            <span>Title</span>
            <InputText v-model="title" maxlength="80" :disabled="!mayEdit" />
          </label>
          <label class="line">
            <span>Code</span>
            <InputText v-model="code" maxlength="16" :disabled="!mayEdit" />
            <small class="soft">
              what <code class="mono">{project}</code> becomes in file names; outputs are named anew
            </small>
          </label>
          <div class="line">
            <span id="default-target">Default target</span>
            <Select
              v-model="target"
              :options="beginnings.data.value?.targets ?? []"
              option-label="title"
              option-value="name"
              aria-labelledby="default-target"
              :disabled="!mayEdit"
            />
            <small class="soft">{{ chosen?.summary }} Sets with a target of their own keep it.</small>
          </div>
          <div v-if="mayEdit" class="acts">
            <Button type="submit" label="Save" :disabled="!changed" />
          </div>
        </form>
      </section>
      <MembersPart :slug="slug" />
      <section aria-label="Project document">
        <div class="head">
          <h2>Project document</h2>
          <span class="soft">all that decides the project’s bytes, as one file</span>
        </div>
        <div class="end">
          <p class="commands">
            Rules with their habits, tolerances, targets, masters, and every set with what was decided by
            hand. A build machine makes the same bytes from it:
            <code class="mono">fairtexel build DIR --project-document FILE</code>.
          </p>
          <span class="row">
            <a class="link" :href="`/api/projects/${slug}/document`" download>Export</a>
            <button v-if="mayEdit" class="plain link" @click="chooser?.click()">Import</button>
            <input ref="chooser" type="file" accept=".json,application/json" hidden @change="bringIn" />
          </span>
        </div>
        <div v-if="taken" class="taken" role="status">
          <p>
            {{ taken.changed }} sets changed, {{ taken.made }} made, {{ taken.variants }} variants. One undo
            takes all of it back.
          </p>
          <p v-for="entry in taken.left" :key="entry.name">
            <strong>{{ entry.name }}</strong> was left: {{ entry.why }}
          </p>
        </div>
      </section>
      <section v-if="lead" aria-label="End of the project">
        <div class="head"><h2>End of the project</h2></div>
        <div v-if="!project.archived" class="end">
          <p>
            An <strong>archived</strong> project can be looked at, and nothing in it can be changed. It can be
            brought back at any time.
          </p>
          <Button label="Archive" severity="secondary" @click="archive" />
        </div>
        <div class="end">
          <div class="delete">
            <p>
              A <strong>deleted</strong> project is gone for good, with its sets, maps, builds and deliveries.
              What was delivered to an engine stays there.
              <a class="link" :href="`/api/projects/${slug}/document`" download
                >Export the project document</a
              >
              first, if what was decided may be wanted again.
            </p>
            <form class="typed" @submit.prevent="remove">
              <label>
                <span class="soft"
                  >Type <strong>{{ project.title }}</strong> to delete it</span
                >
                <InputText v-model="typed" autocomplete="off" />
              </label>
              <Button
                type="submit"
                label="Delete the project"
                severity="secondary"
                :disabled="typed.trim() !== project.title"
              />
            </form>
          </div>
        </div>
      </section>
    </div>
  </main>
</template>

<style scoped>
.page {
  flex: 1;
  min-width: 0;
  overflow: auto;
  padding: 18px 24px 48px 20px;
}
.column {
  max-width: 860px;
}
section {
  margin-top: 24px;
}
.archived {
  display: flex;
  gap: 16px;
  align-items: center;
  margin-top: 12px;
  color: var(--ochre);
}
.line {
  display: grid;
  grid-template-columns: 118px 250px minmax(0, 1fr);
  gap: 4px 14px;
  align-items: center;
  padding: 6px 0;
  border-bottom: 1px solid var(--rule);
}
.line > span {
  font-weight: 600;
}
.acts {
  padding-top: 12px;
}
.end {
  display: flex;
  gap: 24px;
  justify-content: space-between;
  align-items: flex-start;
  padding: 12px 0;
  border-bottom: 1px solid var(--rule);
}
.end p {
  max-width: 560px;
}
.delete {
  display: grid;
  gap: 10px;
  width: 100%;
}
.commands code {
  white-space: nowrap;
}
.row {
  display: flex;
  gap: 16px;
}
.taken {
  padding: 10px 0;
}
.typed {
  display: flex;
  gap: 12px;
  align-items: end;
  justify-content: space-between;
}
.typed label {
  display: grid;
  gap: 4px;
}
.typed .p-inputtext {
  width: 260px;
}
</style>
