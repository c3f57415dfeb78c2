<script setup lang="ts">
// A target from textures that an engine has: what they suggest, confirmed row by row, becomes a draft.
import Button from 'primevue/button';
import Dialog from 'primevue/dialog';
import InputText from 'primevue/inputtext';
import { computed, ref, shallowRef, useTemplateRef } from 'vue';

import { api, take, type Schemas } from '@/api/client';
import { useSay } from '@/lib/page/say';
import { cellWords } from './targetwords';

const emit = defineEmits<{ close: []; made: [name: string] }>();
const MOST = 90;
const say = useSay();
const input = useTemplateRef<HTMLInputElement>('input');
const seen = shallowRef<Schemas['ExampleRead'] | null>(null);
const left = ref<string[]>([]);
const title = ref('');
const busy = ref(false);
const sent = ref(0);
const kept = computed(
  () => seen.value?.outputs.filter(({ output }) => !left.value.includes(output.key)) ?? [],
);

async function read(list: FileList | null): Promise<void> {
  if (!list?.length) return;
  // A folder of thousands says no more than its first sets do.
  const files = [...list].slice(0, MOST);
  sent.value = files.length;
  const form = new FormData();
  for (const file of files) form.append('files', file, file.webkitRelativePath || file.name);
  busy.value = true;
  try {
    seen.value = await take(
      api.POST('/api/targets/example', {
        body: form as never,
        bodySerializer: (body) => body as unknown as FormData,
      }),
    );
    left.value = [];
  } catch (error) {
    say.wrong(error);
  }
  busy.value = false;
}
async function make(): Promise<void> {
  if (!seen.value) return;
  busy.value = true;
  const document = { ...seen.value.document, outputs: kept.value.map(({ output }) => output) };
  try {
    const made = await take(
      api.POST('/api/targets', { body: { title: title.value, copy_of: '', document } }),
    );
    emit('made', made.name);
  } catch (error) {
    say.wrong(error);
  }
  busy.value = false;
}
function toggle(key: string): void {
  left.value = left.value.includes(key) ? left.value.filter((held) => held !== key) : [...left.value, key];
}
</script>

<template>
  <Dialog visible modal :draggable="false" header="A target from an example" @update:visible="emit('close')">
    <div class="example">
      <p>
        Choose a folder of textures that the engine already has, a few whole sets of them: names, channels,
        sizes and the headers of DDS files say what it wants.
      </p>
      <Button
        :label="seen ? 'Choose another folder' : 'Choose a folder…'"
        :severity="seen ? 'secondary' : undefined"
        :loading="busy"
        @click="input?.click()"
      />
      <input
        ref="input"
        type="file"
        class="unseen"
        tabindex="-1"
        webkitdirectory
        multiple
        aria-label="A folder of textures"
        @change="read(($event.target as HTMLInputElement).files)"
      />
      <template v-if="seen">
        <p class="soft">
          {{ sent }} files looked at<template v-if="seen.passed.length"
            >; {{ seen.passed.length }} tell nothing</template
          ><template v-if="seen.refused.length"
            >; {{ seen.refused.length }} could not be read: {{ seen.refused[0] }}</template
          >. Leave out what is wrong; all else can be changed in the draft.
        </p>
        <ul class="rows">
          <li
            v-for="output in seen.outputs"
            :key="output.output.key"
            :class="{ left: left.includes(output.output.key) }"
          >
            <label class="check"
              ><input
                type="checkbox"
                :checked="!left.includes(output.output.key)"
                @change="toggle(output.output.key)"
              />
              <strong>{{ output.output.title }}</strong></label
            >
            <span class="mono">{{ output.output.suffix || 'no suffix' }}</span>
            <span>{{
              output.output.channels
                .map((channel) => `${channel.channel} ${cellWords(channel, undefined)}`)
                .join(' · ')
            }}</span>
            <span class="soft">{{ output.why.join('; ') }}</span>
          </li>
        </ul>
        <form class="make" @submit.prevent="make">
          <InputText
            v-model="title"
            aria-label="What the target is called"
            placeholder="What the target is called"
            maxlength="80"
          />
          <Button
            type="submit"
            label="Begin the draft"
            :loading="busy"
            :disabled="!title.trim() || !kept.length"
          />
        </form>
      </template>
    </div>
  </Dialog>
</template>

<style scoped>
.example {
  display: grid;
  gap: 12px;
  justify-items: start;
  width: min(780px, 90vw);
}
.rows {
  list-style: none;
  margin: 0;
  padding: 0;
  width: 100%;
  max-height: 46vh;
  overflow: auto;
  border-top: 1px solid var(--ink);
}
.rows li {
  display: grid;
  grid-template-columns: 190px 70px minmax(0, 1fr);
  gap: 2px 14px;
  padding: 6px 0;
  border-bottom: 1px solid var(--rule);
}
.rows li > :last-child {
  grid-column: 2 / -1;
  font-size: 12px;
}
.left {
  opacity: 0.5;
}
.make {
  display: flex;
  gap: 10px;
}
.make .p-inputtext {
  width: 320px;
}
</style>
