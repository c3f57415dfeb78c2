<script setup lang="ts">
import { ApiError } from '@/api/client';
import TopBar from '@/parts/frame/TopBar.vue';
import Trouble from '@/parts/widgets/Trouble.vue';

const error = new ApiError(404, 'This address', 'leads nowhere.', 'Go back to your projects.');
</script>

<template>
  <TopBar />
  <Trouble :error="error" />
</template>
