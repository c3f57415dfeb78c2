<script setup lang="ts">
import Button from 'primevue/button';
import { computed } from 'vue';

import { ApiError } from '@/api/client';

const props = defineProps<{ error: unknown }>();
defineEmits<{ again: [] }>();
const known = computed(() =>
  props.error instanceof ApiError
    ? props.error
    : new ApiError(0, 'The page', 'met a fault.', 'Reload it and try again.'),
);
</script>

<template>
  <section class="trouble" role="alert">
    <h1>{{ known.status === 404 ? 'Not here' : 'That did not work' }}</h1>
    <p>{{ known.sentence }}</p>
    <p class="soft">{{ known.wayOut }}</p>
    <div class="ways">
      <Button v-if="known.status !== 404" label="Try again" @click="$emit('again')" />
      <RouterLink class="link" to="/">Your projects</RouterLink>
    </div>
  </section>
</template>

<style scoped>
.trouble {
  padding: 48px 20px;
  max-width: 520px;
  display: grid;
  gap: 8px;
  align-content: start;
}
.ways {
  display: flex;
  gap: 16px;
  align-items: center;
  margin-top: 12px;
}
</style>
