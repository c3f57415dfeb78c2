<script setup lang="ts">
// An upload that runs, in the head of every page.
import { useUploads } from '@/stores/uploads';

import Meter from '@/parts/widgets/Meter.vue';

defineProps<{ slug: string }>();
const uploads = useUploads();
</script>

<template>
  <RouterLink
    v-if="uploads.active"
    class="upload"
    :to="{ name: 'arrivals', params: { slug: uploads.project || slug } }"
    title="Leaving this page within the application goes on sending; closing or reloading it does not"
  >
    <span>Uploading {{ uploads.done }} of {{ uploads.sending.length }}</span>
    <Meter class="meter" :share="uploads.share" label="Upload" />
  </RouterLink>
</template>

<style scoped>
.upload {
  display: flex;
  align-items: center;
  gap: 9px;
  white-space: nowrap;
}
.meter {
  flex: none;
  width: 72px;
}
</style>
