<script setup lang="ts">
// A set's variants, and a button that makes one.
import { computed, toRef } from 'vue';
import { useRouter } from 'vue-router';

import { api, take, type SetView } from '@/api/client';
import { useMasters, useRefresh } from '@/api/queries';
import { useSay } from '@/lib/page/say';
import { usualMaster } from '@/lib/values/variants';

import ActList from '@/parts/widgets/ActList.vue';

const props = defineProps<{ view: SetView; slug: string; mayWork: boolean }>();
const router = useRouter();
const masters = useMasters();
const refresh = useRefresh(toRef(props, 'slug'));
const say = useSay();

const published = computed(() =>
  (masters.data.value ?? []).filter((master) => master.latest && !master.deprecated),
);
const usual = computed(() => usualMaster(published.value));
function dress(master: string): void {
  take(
    api.POST('/api/sets/{set_id}/variants', {
      params: { path: { set_id: props.view.id } },
      body: { master, name: '' },
    }),
  )
    .then((made) => router.push({ name: 'variant', params: { slug: props.slug, id: made.id } }))
    .then(() => refresh())
    .catch(say.wrong);
}
</script>

<template>
  <section class="part" aria-label="Variants">
    <div class="head">
      <h2 v-term="'variant'">Variants</h2>
      <span v-if="mayWork && usual" class="dress">
        <button class="plain link" @click="dress(usual.name)">Dress with {{ usual.title }}</button>
        <ActList
          v-if="published.length > 1"
          words="or another master"
          label="Dress with another master"
          :options="published.map(({ name, title }) => ({ value: name, text: title }))"
          filter
          @choose="dress"
        />
      </span>
    </div>
    <RouterLink
      v-for="variant in view.variants"
      :key="variant.id"
      class="variant"
      :to="{ name: 'variant', params: { slug, id: variant.id } }"
    >
      <img
        class="thumb"
        width="36"
        height="36"
        alt=""
        loading="lazy"
        :src="`/api/variants/${variant.id}/lit`"
      />
      <span class="variant-name">{{ variant.name }}</span>
      <span class="soft">
        {{ variant.master_title }} v{{ variant.version }}
        <span v-if="variant.version < variant.latest" class="stale">◆ v{{ variant.latest }} is out</span>
      </span>
      <span class="soft">{{ variant.changed_values }} of its own</span>
    </RouterLink>
    <p v-if="!view.variants.length" class="soft variant">
      This set has no variant yet. A variant is a master with this set’s maps and values of its own.
    </p>
  </section>
</template>

<style scoped>
.part {
  margin-top: 28px;
}
.dress {
  display: flex;
  gap: 12px;
  align-items: center;
}
.dress :deep(.p-select) {
  height: 26px;
  width: 170px;
}
.variant {
  display: grid;
  grid-template-columns: 36px minmax(140px, 1fr) minmax(160px, 1fr) 110px;
  align-items: center;
  gap: 12px;
  padding: 7px 8px;
  border-bottom: 1px solid var(--rule);
}
p.variant {
  display: block;
}
.variant:hover .variant-name {
  text-decoration: underline;
  text-underline-offset: 3px;
}
.variant-name {
  font-weight: 600;
}
.stale {
  font-weight: 500;
  margin-left: 8px;
  color: var(--ochre);
}
</style>
