<script setup lang="ts">
import Popover from 'primevue/popover';
import { computed, ref, toRef, watch } from 'vue';

import type { JobView } from '@/api/client';
import { isOpen, useJobControl, useJobs, useMayWork, useRefresh } from '@/api/queries';
import { useSay } from '@/lib/page/say';

import Meter from '@/parts/widgets/Meter.vue';
import StateGlyph from '@/parts/widgets/StateGlyph.vue';

const props = defineProps<{ slug: string }>();
const slug = toRef(props, 'slug');
const jobs = useJobs(slug);
const { cancel, retry } = useJobControl(slug);
const refresh = useRefresh(slug);
const mayWork = useMayWork(slug);
const say = useSay();
const panel = ref<InstanceType<typeof Popover> | null>(null);

const open = computed(() => (jobs.data.value ?? []).filter(isOpen));
const running = computed(() => open.value.find((job) => job.state === 'running') ?? open.value[0]);

// When a job that was open has ended, whatever it touched is asked for again.
watch(
  () => open.value.map((job) => job.id).join(),
  (now, before) => {
    if (before.split(',').some((id) => id && !now.includes(id))) refresh();
  },
);

// Jobs that end are announced to those who cannot see the bar.
const ended = ref('');
let known: Map<string, string> | null = null;
watch(
  () => jobs.data.value,
  (now) => {
    if (!now) return;
    const before = known;
    known = new Map(now.map((job) => [job.id, job.state]));
    const over = now.filter((job) => !isOpen(job) && before && before.get(job.id) !== job.state);
    if (!over.length) return;
    ended.value = over
      .map((job) => `${job.title}: ${job.state === 'done' ? 'done' : `${job.state}. ${job.problem}`}`)
      .join('. ');
  },
  { immediate: true },
);

function glyph(job: JobView): 'holds' | 'wrong' | 'none' {
  return job.state === 'done' ? 'holds' : job.state === 'failed' ? 'wrong' : 'none';
}
</script>

<template>
  <button
    class="plain tray"
    :aria-label="running ? `Background jobs: ${open.length} open. ${running.title}` : 'No jobs'"
    @click="panel?.toggle($event)"
  >
    <template v-if="running">
      <span class="what">{{ running.title }}</span>
      <Meter class="meter" :share="running.progress" :label="running.title" />
    </template>
    <span v-else class="soft">No jobs</span>
  </button>
  <span class="unseen" role="status">{{ ended }}</span>
  <Popover ref="panel">
    <div class="jobs">
      <h2>Background jobs</h2>
      <p v-if="!jobs.data.value?.length" class="soft">Nothing ran within the last hour.</p>
      <div v-for="job in jobs.data.value" :key="job.id" class="job">
        <StateGlyph :state="glyph(job)" :label="job.state" />
        <div class="text">
          <div>{{ job.title }}</div>
          <div v-if="isOpen(job)" class="soft">
            {{ job.state === 'queued' ? 'waiting' : `${Math.round(job.progress * 100)} %` }}
            {{ job.cancel_asked ? 'stopping' : job.doing }}
          </div>
          <div v-else-if="job.problem" class="soft">{{ job.problem }} {{ job.way_out }}</div>
          <div v-else class="soft">{{ job.state }}</div>
          <RouterLink
            v-if="job.kind === 'bulk'"
            class="link soft"
            :to="{ name: 'board', params: { slug }, query: { bulk: job.subject } }"
            @click="panel?.hide()"
            >Each set</RouterLink
          >
        </div>
        <template v-if="mayWork">
          <button
            v-if="isOpen(job)"
            class="plain link"
            :disabled="job.cancel_asked"
            @click="cancel.mutate(job.id, { onError: say.wrong })"
          >
            Cancel
          </button>
          <button
            v-else-if="job.state !== 'done'"
            class="plain link"
            @click="retry.mutate(job.id, { onError: say.wrong })"
          >
            Try again
          </button>
        </template>
      </div>
    </div>
  </Popover>
</template>

<style scoped>
.tray {
  display: flex;
  align-items: center;
  gap: 9px;
}
.what {
  max-width: 280px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.meter {
  flex: none;
  width: 72px;
}
.jobs {
  width: 380px;
  max-height: 60vh;
  overflow: auto;
}
.job {
  display: flex;
  gap: 8px;
  padding: 8px 0;
  border-bottom: 1px solid var(--rule);
  font-size: 13px;
}
.text {
  flex: 1;
  min-width: 0;
  overflow-wrap: anywhere;
}
</style>
