<script setup lang="ts">
// The studio's masters, and this project's variants of them.
import { useQueryClient } from '@tanstack/vue-query';
import Button from 'primevue/button';
import { computed, ref } from 'vue';
import { useRoute, useRouter } from 'vue-router';

import { api, take } from '@/api/client';
import { useMasters, useMayPublish, useVariants } from '@/api/queries';
import { useSay } from '@/lib/page/say';
import BlockList from '@/parts/masters/BlockList.vue';
import FromGltf from '@/parts/masters/FromGltf.vue';
import NameDialog from '@/parts/widgets/NameDialog.vue';
import Trouble from '@/parts/widgets/Trouble.vue';

const route = useRoute();
const router = useRouter();
const cache = useQueryClient();
const say = useSay();
const slug = computed(() => String(route.params.slug));
const masters = useMasters();
const variants = useVariants(slug);
const mayPublish = useMayPublish();
const naming = ref(false);

async function begin(title: string, document?: Record<string, unknown>): Promise<boolean> {
  try {
    const made = await take(api.POST('/api/masters', { body: { title, copy_of: '', document } }));
    void cache.invalidateQueries({ queryKey: ['masters'] });
    await router.push({ name: 'sheet', params: { slug: slug.value, name: made.name } });
    return true;
  } catch (error) {
    say.wrong(error);
    return false;
  }
}
</script>

<template>
  <Trouble v-if="masters.isError.value" :error="masters.error.value" @again="masters.refetch()" />
  <main v-else v-keep-scroll class="page">
    <header class="top">
      <h1 v-term="'master'">Masters</h1>
      <span v-if="mayPublish" class="acts">
        <FromGltf @begin="begin" />
        <Button label="New master…" severity="secondary" @click="naming = true" />
      </span>
    </header>
    <p class="soft intro">
      They belong to the studio and serve all its projects; each project has variants of them.
    </p>
    <RouterLink
      v-for="master in (masters.data.value ?? []).filter((entry) => entry.latest || mayPublish)"
      :key="master.name"
      class="master"
      :to="
        master.latest
          ? { name: 'master', params: { slug, name: master.name } }
          : { name: 'sheet', params: { slug, name: master.name } }
      "
    >
      <img
        v-if="master.latest"
        class="thumb"
        width="44"
        height="44"
        alt=""
        loading="lazy"
        :src="
          master.shown === null
            ? `/api/projects/${slug}/masters/${master.name}/lit`
            : `/api/variants/${master.shown}/lit`
        "
      />
      <span v-else class="thumb empty" aria-hidden="true" />
      <span>
        <strong>{{ master.title }}</strong>
        <span class="mono soft version">{{ master.latest ? `v${master.latest}` : 'draft' }}</span>
        <span v-if="master.deprecated" class="behind"> ◆ deprecated</span>
        <span class="soft summary">{{ master.summary || 'Never published yet.' }}</span>
      </span>
      <span class="soft">
        {{ master.layers }} {{ master.layers === 1 ? 'layer' : 'layers' }}, {{ master.strands }} rows
        <span
          v-if="master.cost"
          class="mono small"
          :title="`At each place, for ${master.cost_for}: of all targets that are offered, the one where it costs most.`"
          >{{ master.cost.reads }} reads · {{ master.cost.samplers }} of {{ master.cost.most }} samplers</span
        >
      </span>
      <span>
        {{ master.variants }} {{ master.variants === 1 ? 'variant' : 'variants' }}
        <span v-if="master.behind" class="behind small">◆ {{ master.behind }} behind</span>
        <span v-if="master.latest && master.drafted_by !== null" class="soft small"
          >being written by {{ master.drafted_by }}</span
        >
      </span>
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
    <BlockList :slug="slug" />
    <NameDialog
      v-if="naming"
      title="A new master"
      :name="''"
      act="Begin writing"
      :send="(title) => begin(title)"
      @close="naming = false"
    />
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
  grid-template-columns: 44px minmax(240px, 1fr) 250px 130px;
  min-height: 56px;
}
.top {
  display: flex;
  align-items: center;
  justify-content: space-between;
}
.acts {
  display: flex;
  gap: 16px;
  align-items: center;
}
.version {
  margin-left: 8px;
}
.summary,
.small {
  display: block;
}
.small {
  font-size: 12px;
}
.thumb.empty {
  width: 44px;
  height: 44px;
  background: var(--wash);
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
