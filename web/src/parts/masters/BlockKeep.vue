<script setup lang="ts">
// A block is kept for the studio: as a new one, or as the next version of one that it has.
import InputText from 'primevue/inputtext';
import Select from 'primevue/select';
import { computed, ref } from 'vue';

import { api, take } from '@/api/client';
import type { Block, StudioBlock } from './blocks';
import { useSay } from '@/lib/page/say';
import FormDialog from '@/parts/widgets/FormDialog.vue';

const props = defineProps<{ block: Block; studio: readonly StudioBlock[] }>();
const emit = defineEmits<{ close: []; kept: [block: Block] }>();
const say = useSay();
const alike = props.studio.find(
  ({ name, title }) => name === props.block.name || title.toLowerCase() === props.block.title.toLowerCase(),
);
const of = ref(alike?.name ?? '');
const title = ref(props.block.title);
const summary = ref(props.block.summary);
const note = ref('');
const busy = ref(false);
const choices = computed(() => [
  { value: '', text: 'a new block' },
  ...props.studio.map((entry) => ({
    value: entry.name,
    text: `version ${entry.latest + 1} of ${entry.title}`,
  })),
]);

async function keep(): Promise<void> {
  busy.value = true;
  const base = props.studio.find(({ name }) => name === of.value)?.latest ?? 0;
  const block = {
    ...props.block,
    title: title.value.trim() || props.block.title,
    summary: summary.value.trim(),
  };
  try {
    const line = await take(
      api.POST('/api/blocks', { body: { block, of: of.value, base, note: note.value } }),
    );
    say.done(
      `${line.title} v${line.latest} is the studio’s now; masters stay on theirs until somebody moves them.`,
    );
    emit('kept', line.document);
  } catch (error) {
    say.wrong(error);
  }
  busy.value = false;
}
</script>

<template>
  <FormDialog
    title="Keep this block for the studio"
    act="Keep it"
    :busy="busy"
    @close="emit('close')"
    @submit="keep"
  >
    <label
      >It becomes
      <Select
        v-model="of"
        :options="choices"
        option-label="text"
        option-value="value"
        placeholder="a new block"
        aria-label="What it becomes"
    /></label>
    <label>Title <InputText v-model="title" maxlength="80" /></label>
    <label>What it is for <InputText v-model="summary" maxlength="600" placeholder="In a sentence" /></label>
    <label>What is new in it <InputText v-model="note" maxlength="300" /></label>
  </FormDialog>
</template>
