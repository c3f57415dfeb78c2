<script setup lang="ts">
// The depot: materials to look for and take in, with their terms.
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import { computed, onBeforeUnmount, ref, watch } from 'vue';
import { useRoute } from 'vue-router';
import { useQueryClient } from '@tanstack/vue-query';

import { useDepot, type DepotMaterial } from '@/api/arriving';
import { api, take } from '@/api/client';
import { useMayWork } from '@/api/queries';
import { useAddress } from '@/lib/page/address';
import { useSay } from '@/lib/page/say';
import PickOne from '@/parts/widgets/PickOne.vue';
import Trouble from '@/parts/widgets/Trouble.vue';

const PAUSE = 200;
const route = useRoute();
const slug = computed(() => String(route.params.slug));
const text = useAddress('q', '');
const typed = ref(text.value);
const category = useAddress('category', '');
const depot = useDepot(slug, text, category);
const mayWork = useMayWork(slug);
const cache = useQueryClient();
const say = useSay();
const size = useAddress('size', '1K');
const format = useAddress('format', 'png');
const key = ref('');
const busy = ref('');
let waiting = 0;
watch(typed, (now) => {
  window.clearTimeout(waiting);
  waiting = window.setTimeout(() => (text.value = now), PAUSE);
});

onBeforeUnmount(() => window.clearTimeout(waiting));

const found = computed(() => depot.data.value?.found);

function order(material: DepotMaterial): void {
  busy.value = material.id;
  take(
    api.POST('/api/projects/{slug}/depot/orders', {
      params: { path: { slug: slug.value } },
      body: { material: material.id, size: size.value, file_format: format.value },
    }),
  )
    .then(() => {
      say.done(`${material.title} is being fetched.`);
      void cache.invalidateQueries({ queryKey: ['jobs', slug] });
    })
    .catch(say.wrong)
    .finally(() => (busy.value = ''));
}
function signIn(): void {
  take(api.PUT('/api/account/depot-key', { body: { key: key.value } })).then(() => {
    key.value = '';
    void depot.refetch();
  }, say.wrong);
}
function ended(material: DepotMaterial): boolean {
  return Boolean(material.licence.until && material.licence.until < new Date().toISOString().slice(0, 10));
}
</script>

<template>
  <main v-keep-scroll class="page">
    <header class="top">
      <h1 v-term="'depot'">Depot</h1>
      <label class="search">
        <InputText v-model="typed" placeholder="Search" aria-label="Search the depot" />
      </label>
      <nav class="kinds" aria-label="Categories">
        <button class="plain" :class="{ on: category === '' }" @click="category = ''">all</button>
        <button
          v-for="kind in found?.categories ?? []"
          :key="kind"
          class="plain"
          :class="{ on: category === kind }"
          @click="category = kind"
        >
          {{ kind }}
        </button>
      </nav>
    </header>
    <Trouble v-if="depot.isError.value" :error="depot.error.value" @again="depot.refetch()" />
    <form
      v-if="mayWork && depot.data.value && !depot.data.value.signed_in"
      class="key"
      @submit.prevent="signIn"
    >
      <span>To take materials the depot wants a key.</span>
      <InputText
        v-model="key"
        type="password"
        placeholder="key"
        aria-label="Key to the depot"
        autocomplete="off"
      />
      <Button type="submit" label="Sign in to the depot" :disabled="!key.trim()" />
    </form>
    <div v-else-if="mayWork && found?.materials.length" class="how">
      <span class="soft">Take as</span>
      <PickOne
        v-model="size"
        label="Size"
        mono
        :choices="['512', '1K', '2K'].map((value) => ({ value, text: value }))"
      />
      <PickOne
        v-model="format"
        label="Format"
        :choices="[
          { value: 'png', text: 'PNG' },
          { value: 'jpeg', text: 'JPEG' },
          { value: 'exr', text: 'OpenEXR' },
        ]"
      />
      <span class="soft"
        >Everything it delivers is looked at and sorted; what is too much is asked about.</span
      >
    </div>
    <div class="grid">
      <article v-for="material in found?.materials ?? []" :key="material.id" class="material">
        <img
          :src="`/api/projects/${slug}/depot/${material.id}/preview`"
          :alt="`${material.title}, lit`"
          loading="lazy"
          width="256"
          height="256"
        />
        <div class="line">
          <strong>{{ material.title }}</strong>
          <span class="soft">{{ material.category }}</span>
        </div>
        <p :class="ended(material) ? 'wrong' : 'soft'">
          <span class="terms">{{ ended(material) ? '✕ ' : '' }}{{ material.licence.name }}.</span>
          {{ material.licence.text }}
        </p>
        <Button
          v-if="mayWork && depot.data.value?.signed_in"
          label="Take it"
          severity="secondary"
          :loading="busy === material.id"
          @click="order(material)"
        />
      </article>
    </div>
    <p v-if="found && !found.materials.length" class="soft none">
      Nothing is called so. Try one word, or all categories.
    </p>
  </main>
</template>

<style scoped>
.page {
  flex: 1;
  min-width: 0;
  overflow: auto;
  padding: 18px 20px 48px;
}
.top {
  display: flex;
  gap: 18px;
  align-items: center;
}
.search .p-inputtext {
  width: 220px;
}
.kinds {
  display: flex;
  gap: 14px;
  color: var(--soft);
}
.kinds .on {
  color: var(--ink);
  font-weight: 650;
  box-shadow: 0 2px var(--madder);
}
.how,
.key {
  display: flex;
  gap: 12px;
  align-items: center;
  padding: 14px 0 4px;
}
.grid {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(212px, 1fr));
  gap: 22px 18px;
  padding-top: 14px;
}
.material {
  display: grid;
  align-content: start;
  gap: 5px;
  justify-items: start;
}
.material img {
  width: 100%;
  height: auto;
  aspect-ratio: 1;
  display: block;
  background: var(--well);
}
.line {
  display: flex;
  justify-content: space-between;
  width: 100%;
}
.wrong {
  color: var(--madder);
}
.terms {
  font-weight: 600;
}
.material .p-button {
  margin-top: 2px;
}
.none {
  padding: 18px 0;
}
</style>
