<script setup lang="ts">
import Button from 'primevue/button';
import { computed, ref, toRef } from 'vue';

import { useRefresh } from '@/api/queries';
import { fromInput } from '@/stores/drops';
import { bytesWords } from '@/lib/values/format';
import Meter from '@/parts/widgets/Meter.vue';
import { useUploads } from '@/stores/uploads';

const props = defineProps<{ slug: string }>();
const uploads = useUploads();
const refresh = useRefresh(toRef(props, 'slug'));
const files = ref<HTMLInputElement | null>(null);
const folder = ref<HTMLInputElement | null>(null);
const failed = computed(() => uploads.sending.filter((entry) => entry.state === 'failed'));
const now = computed(() =>
  uploads.sending.find((entry) => entry.state === 'sending' || entry.state === 'hashing'),
);
const sent = computed(
  () => uploads.sending.filter((entry) => entry.state === 'sent' || entry.state === 'known').length,
);
const bytes = computed(() => uploads.sending.reduce((sum, entry) => sum + entry.bytes, 0));

async function take(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement;
  const chosen = fromInput(input.files ?? new DataTransfer().files);
  input.value = '';
  await uploads.send(props.slug, chosen);
  refresh();
}
</script>

<template>
  <section class="panel" aria-label="Bring maps in">
    <div v-if="uploads.active" class="sending">
      <div class="line">
        <span>
          Sending <strong>{{ sent }} of {{ uploads.sending.length }}</strong> files, {{ bytesWords(bytes) }}
          <span v-if="uploads.known" class="soft"
            >{{ uploads.known }} are here already and need not be sent</span
          >
        </span>
        <Button label="Cancel" severity="secondary" @click="uploads.cancel()" />
      </div>
      <Meter :share="uploads.share" label="Upload" />
      <div class="mono soft">{{ now?.path }}</div>
    </div>
    <template v-else>
      <div class="text">
        <strong>Drop files, a folder or a zip anywhere here</strong>
        <span class="soft"
          >PNG, TGA, JPEG, TIFF, OpenEXR, WebP, and zips of them. They are looked at, sorted into sets, and
          never changed.</span
        >
      </div>
      <div class="ways">
        <Button label="Choose files" @click="files?.click()" />
        <Button label="Choose a folder" severity="secondary" @click="folder?.click()" />
      </div>
    </template>
    <input ref="files" type="file" multiple hidden data-choose="files" @change="take" />
    <input ref="folder" type="file" webkitdirectory hidden data-choose="folder" @change="take" />
    <p v-if="uploads.failure" class="wrong" role="alert">
      ✕ {{ uploads.failure.sentence }} {{ uploads.failure.wayOut }}
    </p>
    <p v-for="entry in failed" :key="entry.path" class="wrong">✕ {{ entry.path }}: {{ entry.problem }}</p>
  </section>
</template>

<style scoped>
.panel {
  border: 1px dashed color-mix(in srgb, var(--ink) 34%, transparent);
  padding: 16px 18px;
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  justify-content: space-between;
  gap: 10px 24px;
}
.text {
  display: grid;
  gap: 2px;
}
.ways {
  display: flex;
  gap: 6px;
}
.sending {
  width: 100%;
  display: grid;
  gap: 8px;
}
.line {
  display: flex;
  justify-content: space-between;
  align-items: center;
}
.wrong {
  width: 100%;
  color: var(--madder);
}
</style>
