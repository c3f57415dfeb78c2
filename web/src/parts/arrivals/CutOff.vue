<script setup lang="ts">
// Uploads that were cut off by a reload or a lost connection: they are resumed, sorted as they are, or discarded.
import Button from 'primevue/button';
import { useQuery, useQueryClient } from '@tanstack/vue-query';
import { toRef } from 'vue';

import { api, take, type ArrivalView } from '@/api/client';
import { useRefresh } from '@/api/queries';
import { useSay } from '@/lib/page/say';
import { useUploads } from '@/stores/uploads';
import { timeWords } from '@/lib/values/local';

const props = defineProps<{ slug: string }>();
const slug = toRef(props, 'slug');
const uploads = useUploads();
const cache = useQueryClient();
const refresh = useRefresh(slug);
const say = useSay();
const LOOKED_FOR = 5000;
const cut = useQuery({
  // A page that has gone without a word is taken for gone after a while.
  refetchInterval: LOOKED_FOR,
  queryKey: ['cut-off', slug],
  queryFn: () =>
    take(api.GET('/api/projects/{slug}/arrivals/open', { params: { path: { slug: slug.value } } })),
});

function after(): void {
  void cache.invalidateQueries({ queryKey: ['cut-off', slug] });
  refresh();
}
function sort(arrival: ArrivalView): void {
  take(api.POST('/api/arrivals/{arrival_id}/sort', { params: { path: { arrival_id: arrival.id } } })).then(
    after,
    say.wrong,
  );
}
function forget(arrival: ArrivalView): void {
  take(api.DELETE('/api/arrivals/{arrival_id}', { params: { path: { arrival_id: arrival.id } } })).then(
    after,
    say.wrong,
  );
}
function goOn(arrival: ArrivalView): void {
  uploads.resume(
    props.slug,
    arrival.id,
    arrival.items.map((item) => item.path),
  );
  say.done('Drop the same files or folder again: only what is missing is sent.');
}
</script>

<template>
  <section v-if="!uploads.active && cut.data.value?.length" aria-label="Uploads that were cut off">
    <article v-for="arrival in cut.data.value" :key="arrival.id" class="cut">
      <span class="ochre" aria-hidden="true">◆</span>
      <span>
        An upload of {{ timeWords(arrival.created) }} was cut off
        <template v-if="arrival.items.length">
          after <strong>{{ arrival.items.length }}</strong>{{
            arrival.announced ? ` of ${arrival.announced}` : ''
          }}
          {{ arrival.items.length === 1 && !arrival.announced ? 'file' : 'files' }}.
        </template>
        <template v-else>
          before the first of {{ arrival.announced }} {{ arrival.announced === 1 ? 'file' : 'files' }} was
          whole: nothing has come.
        </template>
        <span v-if="uploads.resuming === arrival.id" class="soft"
          >Drop the same files again; what has come is not sent twice.</span
        >
      </span>
      <span class="acts">
        <Button
          v-if="uploads.resuming !== arrival.id"
          label="Resume upload"
          severity="secondary"
          @click="goOn(arrival)"
        />
        <button v-if="arrival.items.length" class="plain link soft" @click="sort(arrival)">
          Sort what came
        </button>
        <button class="plain link soft" @click="forget(arrival)">Discard</button>
      </span>
    </article>
  </section>
</template>

<style scoped>
.cut {
  display: grid;
  grid-template-columns: 14px minmax(0, 1fr) auto;
  gap: 10px;
  padding: 8px;
  align-items: center;
  border-bottom: 1px solid var(--rule);
}
.ochre {
  color: var(--ochre);
}
.acts {
  display: flex;
  gap: 16px;
  align-items: center;
}
</style>
