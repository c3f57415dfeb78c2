<script setup lang="ts">
// Many files of no set, each the same property of a set of its own: prepared for those with one ending after a set's name.
import Button from 'primevue/button';
import Select from 'primevue/select';
import { computed, ref, toRef, watch } from 'vue';

import { api, take, type Board, type FileView } from '@/api/client';
import { useRefresh } from '@/api/queries';
import { useSay } from '@/lib/page/say';
import { ofFile, pictureUrl } from '@/lib/pictures/pictures';
import { counted } from '@/lib/values/local';

import FileName from '@/parts/widgets/FileName.vue';
import { alike, endingOf, nearest, PROPERTIES, rowOf } from './openfiles';

const props = defineProps<{ files: FileView[]; sets: Board['sets']; slug: string }>();
const say = useSay();
const refresh = useRefresh(toRef(props, 'slug'));
const property = ref<string | null>(null);
const ending = ref<string | null>(null);
const into = ref(new Map<number, number | null>());
const busy = ref(false);

const title = computed(() => PROPERTIES.find(({ key }) => key === property.value)?.title.toLowerCase() ?? '');
const without = computed(() =>
  property.value === null ? [] : props.sets.filter(({ has }) => !has.includes(rowOf(property.value ?? ''))),
);
/** Endings after the names of sets, each with how many files have it, the most first. */
const endings = computed(() => {
  const counts = new Map<string, number>();
  for (const file of props.files) {
    const found = endingOf(file, props.sets);
    if (found) counts.set(found, (counts.get(found) ?? 0) + 1);
  }
  return [...counts]
    .sort(([a, one], [b, other]) => other - one || a.localeCompare(b))
    .map(([value, count]) => ({ value, label: `${value} (${count})` }));
});
// Another ending means another thing: only files with the one that is named are prepared.
watch([property, ending], ([now, named]) => {
  const alike = props.files.filter((file) => named !== null && endingOf(file, props.sets) === named);
  into.value = now === null ? new Map() : nearest(alike, props.sets, now);
});

const pairs = computed(() =>
  props.files.flatMap(({ id }) => {
    const set = props.sets.find((set) => set.id === into.value.get(id));
    return set ? [{ file: id, set: { id: set.id, seen: set.edit } }] : [];
  }),
);
function choices(file: FileView) {
  return [...without.value]
    .sort((a, b) => alike(b.name, file.name) - alike(a.name, file.name) || a.name.localeCompare(b.name))
    .map(({ id, name }) => ({ label: name, value: id }));
}
function choose(file: number, set: number | null): void {
  into.value = new Map(into.value).set(file, set);
}
async function assign(): Promise<void> {
  if (property.value === null || !pairs.value.length) return;
  busy.value = true;
  const body = {
    property: rowOf(property.value),
    inverted: property.value === 'gloss',
    files: pairs.value,
  };
  try {
    const { changed } = await take(
      api.POST('/api/projects/{slug}/open-files/assign', { params: { path: { slug: props.slug } }, body }),
    );
    say.done(`${counted(changed)} ${changed === 1 ? 'set has' : 'sets have'} ${title.value} now.`);
    await refresh();
  } catch (error) {
    say.wrong(error);
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <form class="many" aria-label="Assign many" @submit.prevent="assign">
    <div class="line">
      <span>All that end in</span>
      <Select
        v-model="ending"
        :options="endings"
        option-label="label"
        option-value="value"
        placeholder="ending …"
        aria-label="Ending of all"
      />
      <span>are the</span>
      <Select
        v-model="property"
        :options="PROPERTIES"
        option-label="title"
        option-value="key"
        placeholder="property …"
        aria-label="Property of all"
      />
      <span>of their sets.</span>
      <span class="space" />
      <Button
        type="submit"
        :label="pairs.length ? `Assign ${pairs.length}` : 'Assign'"
        :disabled="!pairs.length"
        :loading="busy"
      />
    </div>
    <p v-if="property" class="soft">
      {{ without.length }} {{ without.length === 1 ? 'set lacks' : 'sets lack' }} {{ title }}. A set is
      prepared for each file that ends so after the set’s name; one undo takes all of it back.
    </p>
    <div v-for="file in property ? files : []" :key="file.id" class="pair">
      <img width="28" height="28" alt="" :src="pictureUrl(ofFile(file), 'RGB', 'small')" />
      <FileName :name="file.name" />
      <Select
        :model-value="into.get(file.id) ?? null"
        :options="choices(file)"
        option-label="label"
        option-value="value"
        placeholder="left as it is"
        :aria-label="`Set of ${file.name}`"
        filter
        show-clear
        @update:model-value="choose(file.id, $event)"
      />
    </div>
  </form>
</template>

<style scoped>
.many {
  padding: 10px 8px;
  border-bottom: 1px solid var(--ink);
}
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
}
.line .p-select {
  width: 168px;
}
.pair {
  display: grid;
  grid-template-columns: 28px minmax(0, 1fr) 260px;
  gap: 10px;
  align-items: center;
  padding: 4px 0;
  border-top: 1px solid var(--rule);
}
</style>
