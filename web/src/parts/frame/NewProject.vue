<script setup lang="ts">
// A new project: what it is called, for what target, and what its house rules begin as.
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import Select from 'primevue/select';
import { computed, ref, watch } from 'vue';
import { useRouter } from 'vue-router';

import { ApiError, api, take } from '@/api/client';
import { useProjects } from '@/api/queries';
import { useBeginnings } from '@/api/studio';

defineProps<{ first: boolean }>();
const emit = defineEmits<{ close: [] }>();
const beginnings = useBeginnings();
const projects = useProjects();
const router = useRouter();
const title = ref('');
const code = ref('');
const target = ref('');
const NONE = 'none';
const rules = ref(NONE);
const busy = ref(false);
const refused = ref('');

watch(beginnings.data, (now) => (target.value ||= now?.targets[0]?.name ?? ''), { immediate: true });
const chosen = computed(() => beginnings.data.value?.targets.find((entry) => entry.name === target.value));
const starts = computed(() => [
  {
    value: NONE,
    text: 'No rules yet: names are free',
    about: 'Rules can be written at any time; files that came before are then held to them too.',
  },
  ...(beginnings.data.value?.presets ?? []).map((preset) => ({
    value: `preset:${preset.name}`,
    text: preset.title,
    about: preset.about,
  })),
  ...(projects.data.value ?? []).map((project) => ({
    value: `project:${project.slug}`,
    text: `As in ${project.title}`,
    about: 'Its names, folders, sizes, checks and habits are copied as they are now.',
  })),
]);
const about = computed(() => starts.value.find((entry) => entry.value === rules.value)?.about);

async function make(): Promise<void> {
  busy.value = true;
  refused.value = '';
  try {
    const body = {
      title: title.value,
      code: code.value,
      target: target.value,
      rules: rules.value === NONE ? '' : rules.value,
    };
    const made = await take(api.POST('/api/projects', { body }));
    await projects.refetch();
    await router.push({ name: 'arrivals', params: { slug: made.slug } });
  } catch (error) {
    refused.value =
      error instanceof ApiError ? `${error.sentence} ${error.wayOut}` : 'Reload the page and try again.';
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <form class="form" aria-label="New project" @submit.prevent="make">
    <h2>{{ first ? 'Your first project' : 'New project' }}</h2>
    <label>
      <span>Title</span>
      <InputText v-model="title" name="title" autofocus required maxlength="80" placeholder="of the game" />
    </label>
    <label>
      <span>Code</span>
      <InputText v-model="code" name="code" maxlength="16" placeholder="from the title" />
      <small class="soft">what <code class="mono">{project}</code> becomes in file names</small>
    </label>
    <div class="line">
      <span id="new-target">Default target</span>
      <Select
        v-model="target"
        :options="beginnings.data.value?.targets ?? []"
        option-label="title"
        option-value="name"
        aria-labelledby="new-target"
      />
      <small class="soft">{{ chosen?.summary }}</small>
    </div>
    <div class="line">
      <span id="new-rules">House rules</span>
      <Select
        v-model="rules"
        :options="starts"
        option-label="text"
        option-value="value"
        aria-labelledby="new-rules"
      />
      <small class="soft">{{ about }}</small>
    </div>
    <p v-if="refused" class="refused" role="alert">✕ {{ refused }}</p>
    <div class="acts">
      <Button type="submit" label="Make the project" :loading="busy" :disabled="!title.trim()" />
      <button v-if="!first" type="button" class="plain link soft" @click="emit('close')">Cancel</button>
    </div>
  </form>
</template>

<style scoped>
.form {
  display: grid;
  gap: 10px;
  padding: 18px 0 22px;
  border-bottom: 1px solid var(--ink);
}
label,
.line {
  display: grid;
  grid-template-columns: 118px 250px minmax(0, 1fr);
  gap: 4px 14px;
  align-items: center;
}
label > span,
.line > span {
  font-weight: 600;
}
.refused {
  color: var(--madder);
}
.acts {
  display: flex;
  gap: 16px;
  align-items: center;
  padding: 8px 0 0 132px;
}
</style>
