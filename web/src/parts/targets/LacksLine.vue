<script setup lang="ts">
// What sets would lack for a target, said before they are made for it.
import { useQuery } from '@tanstack/vue-query';
import { computed, toRef } from 'vue';

import { api, take } from '@/api/client';
import { listedWords } from '@/lib/values/format';

import StateGlyph from '@/parts/widgets/StateGlyph.vue';

const props = defineProps<{
  slug: string;
  /** The target by name. */
  target: string;
  /** The sets by id; null is all of the project. */
  sets: readonly number[] | null;
  /** A draft of the target, which is asked about in its place. */
  document?: object | null;
}>();
const lacks = useQuery({
  queryKey: [
    'lacks',
    toRef(props, 'slug'),
    toRef(props, 'target'),
    toRef(props, 'sets'),
    toRef(props, 'document'),
  ],
  queryFn: () =>
    take(
      api.POST('/api/projects/{slug}/targets/{name}/lacks', {
        params: { path: { slug: props.slug, name: props.target } },
        body: {
          sets: props.sets ? [...props.sets] : null,
          document: (props.document as Record<string, unknown> | undefined) ?? null,
        },
      }),
    ),
  enabled: computed(() => props.target !== ''),
});
const counted = (count: number) => (count === 1 ? '1 set' : `${count} sets`);
</script>

<template>
  <div v-if="lacks.data.value" class="lacks" role="status">
    <p v-for="lack in lacks.data.value" :key="lack.says">
      <StateGlyph :state="lack.stops ? 'wrong' : 'look'" />
      <span
        >{{ counted(lack.count) }}: {{ lack.says }}
        <span class="soft">{{ listedWords(lack.first, 3, lack.count) }}</span></span
      >
    </p>
    <p v-if="!lacks.data.value.length"><StateGlyph state="holds" /> None of them lacks anything for it.</p>
  </div>
</template>

<style scoped>
.lacks p {
  display: flex;
  gap: 7px;
  padding: 2px 0;
}
</style>
