<script setup lang="ts">
// A file that nothing could be said of: a person says which set, property and channels.
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import Select from 'primevue/select';
import { computed, ref } from 'vue';

import { api, take, type Assignment, type Board, type ChannelName, type FileView } from '@/api/client';
import { useRefresh } from '@/api/queries';
import { assignmentOf } from '@/parts/set/channels';
import { sampleWords, sizeWords } from '@/lib/values/format';
import { ofFile, pictureUrl, viewOfChannels } from '@/lib/pictures/pictures';
import { useOvertaken } from '@/lib/page/overtaken';
import { useSay } from '@/lib/page/say';

import FileName from '@/parts/widgets/FileName.vue';
import PickOne from '@/parts/widgets/PickOne.vue';
import { alike, PROPERTIES, rowOf } from './openfiles';

const props = defineProps<{ file: FileView; sets: Board['sets']; slug: string; mayWork: boolean }>();
const NEW = -1;

const set = ref<number | null>(null);
const name = ref('');
const property = ref<string | null>(null);
const channel = ref<ChannelName | null>(null);
const busy = ref(false);
const say = useSay();
const overtaken = useOvertaken();
const refresh = useRefresh(computed(() => props.slug));
/** Sets that lack just this property come first, and among them those whose name the file's begins with. */
const choices = computed(() => {
  const key = property.value && rowOf(property.value);
  const close = new Map(props.sets.map((set) => [set.id, alike(set.name, props.file.name)]));
  const sorted = [...props.sets].sort(
    (a, b) => (close.get(b.id) ?? 0) - (close.get(a.id) ?? 0) || a.name.localeCompare(b.name),
  );
  const items = (has: boolean) =>
    sorted
      .filter((set) => (key !== null && set.has.includes(key)) === has)
      .map((set) => ({ label: set.name, value: set.id }));
  const title = chosen.value?.title.toLowerCase() ?? '';
  return [
    {
      label: key ? `Without ${title}` : 'Sets',
      items: [...items(false), { label: 'A new set …', value: NEW }],
    },
    { label: `With ${title} already, which this takes the place of`, items: items(true) },
  ].filter((group) => group.items.length);
});
const chosen = computed(() => PROPERTIES.find((entry) => entry.key === property.value));
const single = computed(() => chosen.value?.components === 1 && props.file.channels.length > 1);
const shown = computed(() => (single.value && channel.value ? viewOfChannels([channel.value]) : 'RGB'));
const ready = computed(() => chosen.value && set.value !== null && (set.value !== NEW || name.value.trim()));

async function assign(): Promise<void> {
  if (!chosen.value || set.value === null) return;
  busy.value = true;
  try {
    const into = set.value === NEW ? await makeSet() : { id: set.value };
    const key = rowOf(chosen.value.key);
    const body: Assignment = {
      ...assignmentOf(props.file, chosen.value.components, single.value ? channel.value : null),
      inverted: chosen.value.key === 'gloss',
    };
    // A set that was just made is as it is answered; of another, what the board says of it was seen.
    const seen = () =>
      'edit' in into ? into.edit : (props.sets.find((set) => set.id === into.id)?.edit ?? 0);
    const view = await overtaken(
      () =>
        take(
          api.PUT('/api/sets/{set_id}/rows/{key}', {
            params: { path: { set_id: into.id, key }, query: { seen: seen() } },
            body,
          }),
        ),
      refresh,
    );
    say.done(`${props.file.name} is now ${chosen.value.title.toLowerCase()} of ${view.name}.`);
    refresh();
  } catch (error) {
    say.wrong(error);
  } finally {
    busy.value = false;
  }
}
function remove(): void {
  take(api.DELETE('/api/files/{file_id}', { params: { path: { file_id: props.file.id } } }))
    .then(refresh)
    .then(() => say.done(`${props.file.name} is removed. Undo brings it back, for 30 days.`))
    .catch(say.wrong);
}
function makeSet() {
  return take(
    api.POST('/api/projects/{slug}/sets', {
      params: { path: { slug: props.slug } },
      body: { name: name.value },
    }),
  );
}
</script>

<template>
  <article class="open">
    <img class="thumb" width="72" height="72" alt="" :src="pictureUrl(ofFile(file), shown, 'small')" />
    <div class="body">
      <div>
        <FileName :name="file.name" />
        <span class="soft facts"
          >{{ sizeWords(file.width, file.height) }}, {{ sampleWords(file.sample) }},
          {{ file.channels.join('') }}</span
        >
      </div>
      <div class="soft">{{ file.why_open }}</div>
      <form v-if="mayWork" class="form" @submit.prevent="assign">
        <Select
          v-model="property"
          :options="PROPERTIES"
          option-label="title"
          option-value="key"
          placeholder="is …"
          aria-label="Property"
        />
        <PickOne
          v-if="single"
          mono
          label="Channel"
          :choices="file.channels.map((entry) => ({ value: entry, text: entry }))"
          :model-value="channel ?? file.channels[0] ?? null"
          @update:model-value="channel = $event"
        />
        <Select
          v-model="set"
          :options="choices"
          option-label="label"
          option-value="value"
          option-group-label="label"
          option-group-children="items"
          placeholder="of the set …"
          aria-label="Set"
          filter
        />
        <InputText
          v-if="set === NEW"
          v-model="name"
          placeholder="its name"
          aria-label="Name of the new set"
        />
        <Button type="submit" label="Assign" :disabled="!ready" :loading="busy" />
        <RouterLink class="link soft" :to="{ name: 'maps', params: { slug }, query: { file: file.id } }"
          >With its siblings</RouterLink
        >
        <Button type="button" label="Remove" severity="secondary" text @click="remove" />
      </form>
    </div>
  </article>
</template>

<style scoped>
.open {
  display: flex;
  gap: 14px;
  padding: 10px 8px;
  border-bottom: 1px solid var(--rule);
}
.body {
  display: grid;
  gap: 3px;
  min-width: 0;
  flex: 1;
}
.facts {
  margin-left: 10px;
}
.form {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin-top: 4px;
  align-items: center;
}
.form .p-select {
  width: 168px;
}
</style>
