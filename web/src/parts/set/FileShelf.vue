<script setup lang="ts">
// The files at hand, each with its channels: drag a file or one channel onto a row of the ledger.
import type { ChannelName, FileView } from '@/api/client';
import { putCarried } from './channels';
import { bytesWords, sampleWords, sizeWords } from '@/lib/values/format';
import { ofFile, pictureUrl } from '@/lib/pictures/pictures';

import FileName from '@/parts/widgets/FileName.vue';

export interface Shelved {
  file: FileView;
  note: string;
}

const props = defineProps<{ shelved: Shelved[]; lit: number | null; mayWork: boolean }>();
const emit = defineEmits<{
  look: [file: FileView, channel: ChannelName | null];
  hover: [file: number | null];
}>();

function carry(event: DragEvent, file: FileView, channel: ChannelName | null): void {
  if (props.mayWork) putCarried(event, { file: file.id, channel });
  else event.preventDefault();
}
</script>

<template>
  <div class="shelf">
    <div
      v-for="{ file, note } in shelved"
      :key="file.id"
      class="file"
      :class="{ lit: lit === file.id }"
      :draggable="mayWork"
      @dragstart.self="carry($event, file, null)"
      @mouseenter="emit('hover', file.id)"
      @mouseleave="emit('hover', null)"
    >
      <button class="plain" :aria-label="`Look at ${file.name}`" @click="emit('look', file, null)">
        <img
          class="thumb"
          width="32"
          height="32"
          alt=""
          draggable="false"
          loading="lazy"
          :src="pictureUrl(ofFile(file), 'RGB', 'small')"
        />
      </button>
      <div class="text">
        <FileName :name="file.name" />
        <div class="soft note">
          {{ sizeWords(file.width, file.height) }}, {{ sampleWords(file.sample) }},
          {{ bytesWords(file.bytes) }}
          <template v-if="file.revision > 1">, revision {{ file.revision }}</template>
          <template v-if="note"> · {{ note }}</template>
        </div>
      </div>
      <div class="channels">
        <button
          v-for="channel in file.channels"
          :key="channel"
          class="channel mono"
          :draggable="mayWork"
          :title="`Look at channel ${channel}${mayWork ? ', or drag it onto a row' : ''}`"
          @dragstart.stop="carry($event, file, channel)"
          @click="emit('look', file, channel)"
        >
          {{ channel }}
        </button>
      </div>
    </div>
  </div>
</template>

<style scoped>
.file {
  display: flex;
  align-items: center;
  gap: 11px;
  padding: 5px 8px;
  border-bottom: 1px solid var(--rule);
}
.file[draggable='true'] {
  cursor: grab;
}
.lit {
  background: var(--wash);
}
.text {
  flex: 1;
  min-width: 0;
}
.note {
  line-height: 1.3;
}
.channels {
  display: flex;
  gap: 3px;
  flex: none;
}
.channel {
  border: 1px solid color-mix(in srgb, var(--ink) 30%, transparent);
  border-radius: 2px;
  background: none;
  color: var(--ink);
  height: 20px;
  min-width: 21px;
  padding: 0 4px;
  cursor: inherit;
}
.channel:hover {
  background: var(--ink);
  color: var(--paper);
}
</style>
