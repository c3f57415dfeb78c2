<script setup lang="ts">
// What becomes of a whole set: merged with another, split, copied to another project, a surface or none, removed. Each can be
// undone.
import InputText from 'primevue/inputtext';
import Select from 'primevue/select';
import { computed, ref, toRef } from 'vue';
import { useRouter } from 'vue-router';

import { api, take, type SetView } from '@/api/client';
import { useBoard, useProjects, useRefresh } from '@/api/queries';
import { useSay } from '@/lib/page/say';
import FormDialog from '@/parts/widgets/FormDialog.vue';

const props = defineProps<{ view: SetView; slug: string }>();
const emit = defineEmits<{ surface: [is: boolean] }>();
const slug = toRef(props, 'slug');
const board = useBoard(slug);
const projects = useProjects();
const refresh = useRefresh(slug);
const router = useRouter();
const say = useSay();
type Form = 'merge' | 'split' | 'copy';
const form = ref<Form | null>(null);
const FORMS: Record<Form, { title: string; act: string; run: () => void }> = {
  merge: { title: 'Merge with another set', act: 'Merge', run: merge },
  split: { title: 'Split this set', act: 'Split', run: split },
  copy: { title: 'Copy to another project', act: 'Copy', run: copy },
};
const other = ref<number | null>(null);
const rows = ref<string[]>([]);
const left = ref<string[]>([]);
const name = ref('');
const project = ref('');
const busy = ref(false);

const others = computed(() => (board.data.value?.sets ?? []).filter((set) => set.id !== props.view.id));
const places = computed(() =>
  (projects.data.value ?? []).filter(
    (project) => project.slug !== props.slug && project.role !== 'guest' && !project.archived,
  ),
);
const filled = computed(() => props.view.lines.filter((line) => line.row));
/** Whether something is missing yet for what the form is for. */
const lacks = computed(() => {
  if (form.value === 'merge') return other.value === null;
  if (form.value === 'copy') return !project.value;
  return !rows.value.length || rows.value.length === filled.value.length || !name.value.trim();
});
const fileOf = (id: string) => props.view.files.find((file) => String(file.id) === id)?.name ?? id;

function show(which: Form): void {
  other.value = null;
  rows.value = [];
  left.value = [];
  name.value = '';
  project.value = places.value[0]?.slug ?? '';
  form.value = which;
}
async function run(asked: Promise<SetView>, said: (made: SetView) => string): Promise<void> {
  busy.value = true;
  try {
    const made = await asked;
    form.value = null;
    await refresh();
    say.done(said(made));
    if (made.id !== props.view.id)
      await router.push({ name: 'set', params: { slug: made.project, id: made.id } });
  } catch (error) {
    say.wrong(error);
  } finally {
    busy.value = false;
  }
}
const params = () => ({ path: { set_id: props.view.id }, query: { seen: props.view.edit } });
function merge(): void {
  const body = { other: other.value ?? 0 };
  const gone = others.value.find((set) => set.id === other.value)?.name ?? '';
  void run(
    take(api.POST('/api/sets/{set_id}/merge', { params: params(), body })),
    (made) => `${gone} is part of ${made.name} now. Undo makes them two again.`,
  );
}
function split(): void {
  const body = { rows: rows.value, left_out: left.value.map(Number), name: name.value };
  void run(
    take(api.POST('/api/sets/{set_id}/split', { params: params(), body })),
    (made) => `${made.name} is a set of its own now.`,
  );
}
function copy(): void {
  const body = { project: project.value };
  void run(
    take(api.POST('/api/sets/{set_id}/copy', { params: { path: { set_id: props.view.id } }, body })),
    (made) => `${made.name} is in ${made.project_title} too.`,
  );
}
function remove(): void {
  take(api.DELETE('/api/sets/{set_id}', { params: { path: { set_id: props.view.id } } }))
    .then(() => router.push({ name: 'board', params: { slug: props.slug } }))
    .then(() => refresh())
    .then(() =>
      say.done(
        `${props.view.name} is removed. Undo brings it back, for 30 days. Its files stay, in Arrivals.`,
      ),
    )
    .catch(say.wrong);
}
</script>

<template>
  <div class="shape">
    <button v-if="others.length" class="plain link soft" @click="show('merge')">
      Merge with another set
    </button>
    <button v-if="filled.length > 1" class="plain link soft" @click="show('split')">Split this set</button>
    <button v-if="places.length" class="plain link soft" @click="show('copy')">
      Copy to another project
    </button>
    <button
      class="plain link soft"
      title="What is no surface holds masks and details that masters read beside one: a target asks of it for what it has."
      @click="emit('surface', !view.surface)"
    >
      {{ view.surface ? 'Treat as masks and details, not a surface' : 'Treat as a surface' }}
    </button>
    <button class="plain link soft" @click="remove">Remove this set</button>
  </div>
  <FormDialog
    v-if="form"
    :title="FORMS[form].title"
    :act="FORMS[form].act"
    :busy="busy"
    :disabled="lacks"
    @close="form = null"
    @submit="FORMS[form].run()"
  >
    <template v-if="form === 'merge'">
      <p>
        {{ view.name }} takes the other set in: rows that it lacks are filled from there. What both have stays
        as it is here, and the other’s maps of those are left out. The other set is removed.
      </p>
      <Select
        v-model="other"
        :options="others"
        option-label="name"
        option-value="id"
        placeholder="the other set"
        aria-label="The other set"
        filter
      />
    </template>
    <template v-else-if="form === 'split'">
      <p>Choose what becomes a set of its own. A packed map that both read stays with {{ view.name }}.</p>
      <InputText
        v-model="name"
        placeholder="name of the new set"
        aria-label="Name of the new set"
        maxlength="80"
      />
      <label v-for="line in filled" :key="line.property" class="check">
        <input v-model="rows" type="checkbox" :value="line.property" />
        {{ line.title }} <span class="soft">{{ line.file?.name }}</span>
      </label>
      <label v-for="file in view.left_out" :key="file.file" class="check">
        <input v-model="left" type="checkbox" :value="file.file" />
        {{ fileOf(file.file) }} <span class="soft">left out</span>
      </label>
    </template>
    <template v-else>
      <p>Its ledger, target, tags and origin come along, and its files under their paths.</p>
      <Select
        v-model="project"
        :options="places"
        option-label="title"
        option-value="slug"
        aria-label="Project"
      />
    </template>
  </FormDialog>
</template>

<style scoped>
.shape {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 20px;
  margin-top: 26px;
}
</style>
