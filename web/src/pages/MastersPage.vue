<script setup lang="ts">
// The studio's masters, and where they are used.
import { computed } from 'vue';
import { useRoute } from 'vue-router';

import { useMasters, useVariants } from '@/api/queries';
import Trouble from '@/parts/Trouble.vue';

const route = useRoute();
const slug = computed(() => String(route.params.slug));
const masters = useMasters();
const variants = useVariants(slug);
</script>

<template>
  <Trouble v-if="masters.isError.value" :error="masters.error.value" @again="masters.refetch()" />
  <main v-else v-keep-scroll class="page">
    <h1 v-term="'master'">Masters</h1>
    <p class="soft intro">
      They belong to the studio and serve all its projects; each project has variants of them.
    </p>
    <RouterLink
      v-for="master in masters.data.value ?? []"
      :key="master.name"
      class="master"
      :to="{ name: 'master', params: { slug, name: master.name } }"
    >
      <strong>{{ master.title }}</strong>
      <span class="mono">v{{ master.latest }}</span>
      <span class="soft">{{ master.summary }}</span>
      <span>{{ master.variants }} {{ master.variants === 1 ? 'variant' : 'variants' }}</span>
      <span :class="{ behind: master.behind }">{{ master.behind ? `◆ ${master.behind} behind` : '' }}</span>
    </RouterLink>
    <div class="head part"><h2>Variants in this project</h2></div>
    <RouterLink
      v-for="variant in variants.data.value ?? []"
      :key="variant.id"
      class="variant"
      :to="{ name: 'variant', params: { slug, id: variant.id } }"
    >
      <span class="lit-name">
        <img
          class="thumb"
          width="36"
          height="36"
          alt=""
          loading="lazy"
          :src="`/api/variants/${variant.id}/lit`"
        />
        <strong>{{ variant.name }}</strong>
      </span>
      <span>{{ variant.set_name }}</span>
      <span class="soft">{{ variant.master_title }} v{{ variant.version }}</span>
      <span :class="{ behind: variant.version < variant.latest }">{{
        variant.version < variant.latest ? `◆ v${variant.latest} is out` : ''
      }}</span>
    </RouterLink>
    <p v-if="variants.data.value && !variants.data.value.length" class="soft none">
      No set of this project is dressed yet. Open a set and choose “Dress with” under Variants.
    </p>
  </main>
</template>

<style scoped>
.page {
  flex: 1;
  padding: 18px 20px 40px;
  overflow: auto;
  min-width: 0;
}
.intro {
  margin: 4px 0 18px;
}
.master,
.variant {
  display: grid;
  align-items: center;
  gap: 14px;
  min-height: 40px;
  padding: 4px 8px;
  border-bottom: 1px solid var(--rule);
}
.master {
  grid-template-columns: 150px 40px 1fr 90px 90px;
  border-top: 1px solid var(--ink);
}
.variant {
  grid-template-columns: minmax(160px, 1fr) minmax(140px, 1fr) 160px 110px;
  min-height: 32px;
}
.master:hover,
.variant:hover {
  background: var(--wash);
}
.part {
  margin-top: 34px;
}
.behind {
  color: var(--ochre);
}
.none {
  padding: 10px 8px;
}
</style>
