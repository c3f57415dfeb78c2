<script setup lang="ts">
// A page's job in one line: how far it is, or how it ended, with what can be done about it.
import { toRef } from 'vue';

import type { JobView } from '@/api/client';
import { isOpen, useJobControl } from '@/api/queries';
import { useSay } from '@/lib/page/say';

import Meter from '@/parts/widgets/Meter.vue';

const props = defineProps<{ job: JobView; slug: string; mayWork: boolean }>();
const { cancel, retry } = useJobControl(toRef(props, 'slug'));
const say = useSay();
</script>

<template>
  <div v-if="isOpen(job)" class="work" role="status">
    <span>{{ job.title }}</span>
    <Meter :share="job.progress" :label="job.title" />
    <span class="mono soft">{{ job.doing || 'waiting' }}</span>
    <button
      class="plain link"
      :disabled="job.cancel_asked"
      @click="cancel.mutate(job.id, { onError: say.wrong })"
    >
      {{ job.cancel_asked ? 'Stopping' : 'Cancel' }}
    </button>
  </div>
  <div v-else class="work" role="alert">
    <span v-if="job.state === 'cancelled'">The last job was cancelled; nothing was changed.</span>
    <span v-else class="wrong">✕ {{ job.problem }} {{ job.way_out }}</span>
    <button v-if="mayWork" class="plain link" @click="retry.mutate(job.id, { onError: say.wrong })">
      Try again
    </button>
  </div>
</template>

<style scoped>
.work {
  display: flex;
  align-items: center;
  gap: 12px;
  padding: 0 8px 12px;
}
.wrong {
  color: var(--madder);
}
</style>
