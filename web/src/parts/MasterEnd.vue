<script setup lang="ts">
// What is done with a master as a whole: written as MaterialX, deprecated and offered again, deleted.
import { useQueryClient } from '@tanstack/vue-query';
import Button from 'primevue/button';
import Select from 'primevue/select';
import { computed } from 'vue';
import { useRouter } from 'vue-router';

import { api, take, type Schemas } from '@/api/client';
import { useMasters } from '@/api/queries';
import { useAsk } from '@/lib/ask';
import { useSay } from '@/lib/say';

const props = defineProps<{ master: Schemas['MasterView']; slug: string }>();
const router = useRouter();
const cache = useQueryClient();
const say = useSay();
const ask = useAsk();
const masters = useMasters();
const path = computed(() => ({ params: { path: { name: props.master.name } } }));
const successors = computed(() => [
  { value: '', text: 'with no successor' },
  ...(masters.data.value ?? [])
    .filter((line) => line.name !== props.master.name && line.latest && !line.deprecated)
    .map((line) => ({ value: line.name, text: `${line.title} takes its place` })),
]);

async function act(how: () => Promise<unknown>, said: string): Promise<void> {
  try {
    await how();
    void cache.invalidateQueries({ queryKey: ['masters'] });
    await cache.invalidateQueries({ queryKey: ['master', props.master.name] });
    say.done(said);
  } catch (error) {
    say.wrong(error);
  }
}
function deprecate(successor: string | null, on = true): void {
  const body = { deprecated: on, successor };
  void act(
    () => take(api.PUT('/api/masters/{name}/deprecation', { ...path.value, body })),
    on ? 'Deprecated: nobody is offered it any more. Variants keep it.' : 'It is offered again.',
  );
}
function remove(): void {
  ask(
    `Delete ${props.master.title}?`,
    'No variant may use it. All of its versions go.',
    'Delete it',
    () =>
      void act(async () => {
        await take(api.DELETE('/api/masters/{name}', path.value));
        await router.push({ name: 'masters', params: { slug: props.slug } });
      }, `${props.master.title} is deleted.`),
  );
}
</script>

<template>
  <p v-if="master.deprecated" class="look">
    ◆ This master is deprecated{{ master.successor ? `; ${master.successor} takes its place` : '' }}.
  </p>
  <div class="last">
    <a
      class="link"
      :href="`/api/masters/${master.name}/materialx?version=${master.version}`"
      title="Its sheet and its parameters as a MaterialX 1.39 document, without pictures"
      download
      >MaterialX</a
    >
    <template v-if="master.may_publish">
      <Select
        v-if="!master.deprecated"
        :model-value="null"
        :options="successors"
        option-label="text"
        option-value="value"
        placeholder="Deprecate it…"
        aria-label="Deprecate it"
        @update:model-value="deprecate($event || null)"
      />
      <Button v-else label="Offer it again" severity="secondary" @click="deprecate(null, false)" />
      <Button label="Delete…" severity="secondary" @click="remove" />
    </template>
  </div>
</template>

<style scoped>
.look {
  color: var(--ochre);
  padding-top: 12px;
}
.last {
  display: flex;
  gap: 10px;
  align-items: center;
  padding-top: 14px;
}
.last :deep(.p-select) {
  width: 160px;
}
</style>
