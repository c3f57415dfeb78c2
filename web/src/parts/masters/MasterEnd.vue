<script setup lang="ts">
// What is done with a master as a whole: written as MaterialX, deprecated and offered again, deleted.
import { useQueryClient } from '@tanstack/vue-query';
import { computed } from 'vue';
import { useRouter } from 'vue-router';

import { api, take, type Schemas } from '@/api/client';
import { useMasters } from '@/api/queries';
import { useAsk } from '@/lib/page/ask';
import { useSay } from '@/lib/page/say';
import DeprecateActs from '@/parts/drafts/DeprecateActs.vue';

const props = defineProps<{ master: Schemas['MasterView']; slug: string }>();
const router = useRouter();
const cache = useQueryClient();
const say = useSay();
const ask = useAsk();
const masters = useMasters();
const path = computed(() => ({ params: { path: { name: props.master.name } } }));
const others = computed(() =>
  (masters.data.value ?? []).filter(
    (line) => line.name !== props.master.name && line.latest && !line.deprecated,
  ),
);

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
function deprecate(successor: string | null, on: boolean): void {
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
    <DeprecateActs
      v-if="master.may_publish"
      :deprecated="master.deprecated"
      :others="others"
      @deprecate="deprecate"
      @remove="remove"
    />
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
</style>
