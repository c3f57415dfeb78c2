<script setup lang="ts">
// A master that begins as a material of a glTF file: the file is chosen, then one of its materials.
import InputText from 'primevue/inputtext';
import Select from 'primevue/select';
import { computed, ref } from 'vue';

import { readGltfMaterials } from '@/api/arriving';
import type { Schemas } from '@/api/client';
import { useSay } from '@/lib/page/say';
import FormDialog from '@/parts/widgets/FormDialog.vue';

const emit = defineEmits<{ begin: [title: string, document: Record<string, unknown>] }>();
const say = useSay();
const chooser = ref<HTMLInputElement | null>(null);
const found = ref<Schemas['GltfMaterial'][]>([]);
const picked = ref(0);
const title = ref('');
const material = computed(() => found.value[picked.value]);

function pick(at: number): void {
  picked.value = at;
  title.value = found.value[at]?.name ?? '';
}
async function read(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement;
  const [file] = input.files ?? [];
  input.value = '';
  if (!file) return;
  try {
    found.value = await readGltfMaterials(file);
    pick(0);
  } catch (error) {
    say.wrong(error);
  }
}
function begin(): void {
  if (!material.value) return;
  emit('begin', title.value.trim(), material.value.document);
  found.value = [];
}
</script>

<template>
  <button
    type="button"
    class="plain link"
    title="Begin a master as a material of a .glb or .gltf file: its factors become parameters"
    @click="chooser?.click()"
  >
    From a glTF material…
  </button>
  <input ref="chooser" data-choose="gltf material" type="file" accept=".glb,.gltf" hidden @change="read" />
  <FormDialog
    v-if="found.length"
    title="A master from a material"
    act="Begin writing"
    :disabled="!title.trim()"
    @close="found = []"
    @submit="begin"
  >
    <label
      >Material
      <Select
        :model-value="picked"
        :options="found.map(({ name }, value) => ({ name, value }))"
        option-label="name"
        option-value="value"
        filter
        aria-label="The material"
        @update:model-value="pick"
      />
    </label>
    <label>Title <InputText v-model="title" maxlength="80" aria-label="Title" /></label>
    <p v-for="left in material?.left ?? []" :key="left" class="look">◆ Left out: {{ left }}</p>
  </FormDialog>
</template>

<style scoped>
.look {
  color: var(--ochre);
}
</style>
