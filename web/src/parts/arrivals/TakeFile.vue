<script setup lang="ts">
// A file of no set: it goes into one, or makes a new one, and its siblings follow.
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import Select from 'primevue/select';
import { computed, ref, toRef } from 'vue';
import { useQueryClient } from '@tanstack/vue-query';

import { api, take } from '@/api/client';
import { useBoard, useRefresh } from '@/api/queries';
import { useSay } from '@/lib/page/say';

const props = defineProps<{ fileId: number; siblings: string[]; slug: string }>();
const NEW = -1;
const MOST_NAMED = 6;
const slug = toRef(props, 'slug');
const board = useBoard(slug);
const refresh = useRefresh(slug);
const cache = useQueryClient();
const say = useSay();
const into = ref(NEW);
const name = ref('');
const follow = ref(true);
const busy = ref(false);

const choices = computed(() => [
  { label: 'A new set', value: NEW },
  ...(board.data.value?.sets ?? []).map((set) => ({ label: set.name, value: set.id })),
]);
const named = computed(() => props.siblings.slice(0, MOST_NAMED));
const count = computed(() => props.siblings.length);

async function run(): Promise<void> {
  busy.value = true;
  const body = {
    set: into.value === NEW ? null : into.value,
    name: into.value === NEW ? name.value : '',
    siblings: follow.value && count.value > 0,
  };
  try {
    const set = await take(
      api.POST('/api/files/{file_id}/take', { params: { path: { file_id: props.fileId } }, body }),
    );
    say.done(`${body.siblings ? `${count.value + 1} files are` : 'It is'} in ${set.name} now.`);
    refresh();
    for (const key of ['file', 'maps', 'questions']) void cache.invalidateQueries({ queryKey: [key] });
  } catch (error) {
    say.wrong(error);
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <form aria-label="Take into a set" @submit.prevent="run">
    <div class="head"><h2>Belongs to no set</h2></div>
    <div class="line">
      <Select
        v-model="into"
        :options="choices"
        option-label="label"
        option-value="value"
        aria-label="Set"
        filter
      />
      <InputText
        v-if="into === NEW"
        v-model="name"
        placeholder="called after its stem"
        aria-label="Name of the new set"
      />
      <Button type="submit" label="Take it in" :loading="busy" />
    </div>
    <label v-if="count" class="check">
      <input v-model="follow" type="checkbox" />
      {{ count === 1 ? 'its sibling follows' : `its ${count} siblings follow` }}
    </label>
    <ul v-if="count && follow" class="mono soft">
      <li v-for="path in named" :key="path">{{ path }}</li>
      <li v-if="count > named.length">and {{ count - named.length }} more</li>
    </ul>
    <p v-if="!count" class="soft">Nothing else of its folder and stem is without a set.</p>
  </form>
</template>

<style scoped>
form {
  margin-top: 18px;
  display: grid;
  gap: 8px;
}
.line {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr) auto;
  gap: 6px;
}
ul {
  margin: 0;
  padding: 0 0 0 20px;
  list-style: none;
  overflow-wrap: anywhere;
}
</style>
