<script setup lang="ts">
// A variant made into a set of plain maps: its layers and its paint become one surface that every target can be built from.
import { useQueryClient } from '@tanstack/vue-query';
import InputText from 'primevue/inputtext';
import Select from 'primevue/select';
import { computed, ref, toRef, watch } from 'vue';

import { flatten, useFlat } from '@/api/flat';
import { isOpen } from '@/api/queries';
import { useSay } from '@/lib/page/say';

const props = defineProps<{
  slug: string;
  variant: number;
  /** What the set is called unless somebody says otherwise. */
  usual: string;
  /** The mesh that it is laid over, with its paint; without one it is a flat square. */
  mesh?: (() => Promise<Blob>) | undefined;
  /** Its sets are built as they are now: nothing else can be flattened. */
  ready: boolean;
  mayWork: boolean;
}>();
const cache = useQueryClient();
const say = useSay();
const made = useFlat(toRef(props, 'variant'));
const name = ref('');
const edge = ref(props.mesh ? 1024 : 0);
const asking = ref(false);
watch(
  () => props.usual,
  (usual) => (name.value = usual),
  { immediate: true },
);
const sizes = computed(() => [
  ...(props.mesh ? [] : [{ value: 0, text: 'as its maps' }]),
  ...[512, 1024, 2048, 4096].map((value) => ({ value, text: `${value} texels` })),
]);
const again = computed(() => made.data.value?.some((entry) => entry.name === name.value.trim()) ?? false);

async function start(): Promise<void> {
  asking.value = true;
  try {
    await flatten(props.variant, name.value, edge.value, props.mesh ? await props.mesh() : null);
    await cache.invalidateQueries({ queryKey: ['flat', props.variant] });
    void cache.invalidateQueries({ queryKey: ['jobs', props.slug] });
  } catch (error) {
    say.wrong(error);
  } finally {
    asking.value = false;
  }
}
// The set is on the board from the moment when its job is done.
watch(
  () => made.data.value?.filter((entry) => isOpen(entry.job)).length,
  (now, before) => {
    if (before && !now) void cache.invalidateQueries({ queryKey: ['board', props.slug] });
  },
);
</script>

<template>
  <section v-if="mayWork || made.data.value?.length" class="flat" aria-label="Flatten">
    <div class="head">
      <h2>Flatten</h2>
      <span class="soft">into a set of plain maps</span>
    </div>
    <div v-for="entry in made.data.value ?? []" :key="entry.name" class="made">
      <RouterLink
        v-if="entry.set_id"
        class="link"
        :to="{ name: 'set', params: { slug, id: entry.set_id } }"
        >{{ entry.name }}</RouterLink
      >
      <span v-else>{{ entry.name }}</span>
      <span v-if="isOpen(entry.job)" class="soft mono" role="status"
        >{{ Math.round((entry.job?.progress ?? 0) * 100) }} %</span
      >
      <span v-else-if="entry.job?.problem" class="wrong"
        >✕ {{ entry.job.problem }} {{ entry.job.way_out }}</span
      >
      <span v-else class="soft"
        >{{ entry.on_mesh ? 'over a mesh' : 'over a square'
        }}{{ entry.set_id ? '' : ', its set was removed' }}</span
      >
    </div>
    <form v-if="mayWork && ready" class="ask" @submit.prevent="start">
      <InputText v-model="name" class="called" aria-label="Name of the flattened set" maxlength="80" />
      <Select
        v-model="edge"
        :options="sizes"
        option-label="text"
        option-value="value"
        aria-label="Size of the flattened maps"
      />
      <button class="plain link" :disabled="asking">{{ again ? 'Flatten again' : 'Flatten' }}</button>
    </form>
    <p v-else-if="mayWork" class="soft">Prove its sets first: it is flattened from what was built.</p>
  </section>
</template>

<style scoped>
.flat {
  padding: 8px 0;
}
.head {
  gap: 10px;
}
.made {
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  gap: 2px 12px;
  padding: 4px 0;
}
.ask {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px 10px;
  padding: 6px 0;
}
.called {
  flex: 1 1 120px;
  min-width: 0;
}
.wrong {
  color: var(--madder);
}
</style>
