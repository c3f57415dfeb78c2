<script setup lang="ts">
// A project's own models, and a way to bring one in.
import { useQueryClient } from '@tanstack/vue-query';
import Button from 'primevue/button';
import { computed, ref } from 'vue';
import { useRoute, useRouter } from 'vue-router';

import { putModel, withMaterials } from '@/api/arriving';
import { useMayWork, useModels } from '@/api/queries';
import { useSay } from '@/lib/page/say';
import Trouble from '@/parts/widgets/Trouble.vue';
import { fixed } from '@/lib/values/local';

const route = useRoute();
const router = useRouter();
const say = useSay();
const cache = useQueryClient();
const slug = computed(() => String(route.params.slug));
const mayWork = useMayWork(slug);
const chooser = ref<HTMLInputElement | null>(null);
const sending = ref('');
const models = useModels(slug);

async function bring(files: FileList | null | undefined): Promise<void> {
  if (!mayWork.value) return;
  let last: number | null = null;
  const models = withMaterials([...(files ?? [])]);
  for (const { file, beside } of models) {
    sending.value = file.name;
    try {
      last = (await putModel(slug.value, file, beside)).id;
    } catch (error) {
      say.wrong(error);
    }
  }
  sending.value = '';
  await cache.invalidateQueries({ queryKey: ['models', slug.value] });
  if (last !== null && models.length === 1)
    await router.push({ name: 'model', params: { slug: slug.value, id: last } });
}
function choose(event: Event): void {
  const input = event.target as HTMLInputElement;
  void bring(input.files).then(() => (input.value = ''));
}
</script>

<template>
  <Trouble v-if="models.isError.value" :error="models.error.value" @again="models.refetch()" />
  <main v-else class="page" @dragover.prevent @drop.prevent.stop="bring($event.dataTransfer?.files)">
    <header class="top">
      <div>
        <h1>Models</h1>
        <p class="soft">
          Your own meshes, to look at sets and variants on: each part wears one. They are read by your browser
          alone and kept as they came. Bring an .obj together with its .mtl.
        </p>
      </div>
      <Button
        v-if="mayWork"
        label="Bring in a model"
        :disabled="Boolean(sending)"
        @click="chooser?.click()"
      />
    </header>
    <p v-if="sending" class="soft" role="status">Bringing in {{ sending }} …</p>
    <table v-if="models.data.value?.length">
      <thead>
        <tr>
          <th>model</th>
          <th>file</th>
          <th class="number">size</th>
          <th class="number">revision</th>
          <th class="number">parts dressed</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="model in models.data.value" :key="model.id">
          <td>
            <RouterLink class="link" :to="{ name: 'model', params: { slug, id: model.id } }">{{
              model.name
            }}</RouterLink>
          </td>
          <td class="mono">{{ model.file_name }}</td>
          <td class="number mono">{{ fixed(model.bytes / 1e6, 2) }} MB</td>
          <td class="number mono">{{ model.revision }}</td>
          <td class="number mono">{{ model.dressed }}</td>
        </tr>
      </tbody>
    </table>
    <p v-else-if="models.data.value" class="none soft">
      No model yet.
      {{ mayWork ? 'Drop a .glb, .gltf or .obj file here: one that holds everything inside.' : '' }}
    </p>
    <input
      ref="chooser"
      data-choose="model"
      type="file"
      accept=".glb,.gltf,.obj,.mtl"
      multiple
      hidden
      @change="choose"
    />
  </main>
</template>

<style scoped>
.page {
  flex: 1;
  padding: 22px 24px;
  overflow: auto;
}
.top {
  display: flex;
  justify-content: space-between;
  gap: 30px;
  align-items: flex-start;
  margin-bottom: 16px;
}
.top p {
  max-width: 620px;
}
table {
  width: 100%;
  border-collapse: collapse;
}
th {
  text-align: left;
  font-weight: 400;
  color: var(--soft);
  border-bottom: 1px solid var(--ink);
}
td {
  border-bottom: 1px solid var(--rule);
}
th,
td {
  height: 34px;
  padding-right: 16px;
}
.number {
  text-align: right;
}
.none {
  padding: 60px 0;
  text-align: center;
}
</style>
