<script setup lang="ts">
// Where a set came from and under what terms.
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import { computed, ref, watch } from 'vue';

import type { SetChange } from '@/api/changes';
import type { SetView } from '@/api/client';
import type { Origin } from '@/api/arriving';
import { useEditing } from '@/lib/page/edits';
import { useUnkept } from '@/lib/page/unkept';
import { dayWords } from '@/lib/values/local';

const props = defineProps<{ view: SetView; mayWork: boolean }>();
const { edits, changeSet } = useEditing();
const editing = ref(false);
const source = ref('');
const name = ref('');
const text = ref('');
const here = ref(false);
const target = ref(false);
const until = ref('');

const WAYS: Record<string, string> = {
  dropped: 'Dropped',
  watched: 'Sent by a watched folder',
  depot: 'From the depot',
  'by hand': 'Written down by hand',
  flattened: 'Flattened from a variant',
};
/** The origin as it is, or as it will be once what waits is saved. */
const origin = computed(() => {
  const waits = edits.about(`set/${props.view.id}`).map((edit) => edit.change as SetChange);
  const last = waits.findLast((entry) => entry.kind === 'origin');
  return last?.kind === 'origin' ? last.origin : props.view.origin;
});
const terms = computed(() => {
  const licence = origin.value?.licence;
  if (!licence) return 'No terms are written down.';
  const facts = [
    licence.projects ? `for ${licence.projects.join(', ')}` : 'for any project',
    licence.targets ? `for ${licence.targets.join(', ')}` : 'for any target',
    licence.until ? `until ${licence.until}` : '',
  ].filter(Boolean);
  return `${licence.name}: ${facts.join(', ')}.`;
});

function edit(): void {
  const licence = origin.value?.licence;
  source.value = origin.value?.source ?? '';
  name.value = licence?.name ?? '';
  text.value = licence?.text ?? '';
  here.value = licence?.projects != null;
  target.value = licence?.targets != null;
  until.value = licence?.until ?? '';
  editing.value = true;
  opened.value = typed();
}
/** All that is typed, and what it was when the form was opened. */
const typed = () => JSON.stringify([source, name, text, here, target, until].map((field) => field.value));
const opened = ref('');
const unkept = computed(() => editing.value && typed() !== opened.value);
useUnkept(unkept, {
  header: 'Leave the origin unsaved?',
  message: () =>
    `What you typed about where ${props.view.name} comes from is not saved: leaving throws it away.`,
  leave: 'Throw it away',
  keep: {
    label: 'Save it and leave',
    run: () => {
      save();
      return Promise.resolve(true);
    },
  },
});
watch(
  () => props.view.id,
  () => (editing.value = false),
);
function save(): void {
  const body: Origin = {
    way: origin.value?.way ?? 'by hand',
    source: source.value.trim() || 'not known',
    came: origin.value?.came ?? new Date().toISOString().slice(0, 10),
    licence: name.value.trim()
      ? {
          name: name.value.trim(),
          text: text.value,
          projects: here.value ? (origin.value?.licence?.projects ?? [props.view.project]) : null,
          targets: target.value ? (origin.value?.licence?.targets ?? [props.view.target.name]) : null,
          until: until.value || null,
          credit: origin.value?.licence?.credit ?? '',
        }
      : null,
  };
  void changeSet(props.view.id, `Origin (${props.view.name})`, { kind: 'origin', origin: body });
  editing.value = false;
}
</script>

<template>
  <section class="part" aria-label="Origin">
    <div class="head">
      <h2>Origin</h2>
      <button v-if="mayWork && !editing" class="plain link soft" @click="edit">
        {{ origin ? 'Change' : 'Write it down' }}
      </button>
    </div>
    <form v-if="editing" class="form" @submit.prevent="save">
      <label>From <InputText v-model="source" maxlength="400" /></label>
      <label>Licence <InputText v-model="name" maxlength="120" placeholder="none" /></label>
      <label>Licence text <InputText v-model="text" maxlength="4000" /></label>
      <label
        >Licence expires <InputText v-model="until" placeholder="2027-01-31" pattern="\d{4}-\d{2}-\d{2}"
      /></label>
      <label class="check"><input v-model="here" type="checkbox" /> for this project only</label>
      <label class="check"><input v-model="target" type="checkbox" /> for {{ view.target.title }} only</label>
      <div class="acts">
        <Button type="submit" label="Save" />
        <Button type="button" label="Cancel" severity="secondary" @click="editing = false" />
      </div>
    </form>
    <p v-else-if="origin" class="line">
      {{ WAYS[origin.way] }} on {{ dayWords(origin.came) }}, <span class="soft">{{ origin.source }}.</span
      >{{ ' ' }}<span :title="origin.licence?.text">{{ terms }}</span>
    </p>
    <p v-else class="line soft">Nobody has written down where this set came from.</p>
  </section>
</template>

<style scoped>
.part {
  margin-top: 28px;
}
.line {
  padding: 8px;
}
.form {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 8px 16px;
  padding: 10px 8px;
}
.form label {
  display: grid;
  gap: 2px;
}
.form .check {
  display: flex;
  gap: 6px;
  align-items: center;
}
.acts {
  display: flex;
  gap: 8px;
}
</style>
