<script setup lang="ts">
// What came of a mesh or a model over time, newest first: which is shown, fetched again, shown again.
import Popover from 'primevue/popover';
import { computed, ref } from 'vue';

import type { Schemas } from '@/api/client';
import { bytesWords } from '@/lib/values/format';
import { momentWords } from '@/lib/values/local';

import WholeName from '@/parts/widgets/WholeName.vue';

const props = defineProps<{
  revisions: readonly Schemas['MeshRevisionLine'][];
  /** Where the file of a revision is fetched. */
  address: (number: number) => string;
  mayWork: boolean;
}>();
const emit = defineEmits<{ show: [number: number] }>();
const panel = ref<InstanceType<typeof Popover> | null>(null);
const shown = computed(() => props.revisions.find((revision) => revision.shown));
const words = computed(() => {
  const count = props.revisions.length;
  if (!shown.value) return count === 1 ? 'one revision, not shown' : `${count} revisions, none shown`;
  return count === 1 ? 'revision 1' : `revision ${shown.value.number} of ${count}`;
});
function take(number: number): void {
  panel.value?.hide();
  emit('show', number);
}
</script>

<template>
  <button
    v-if="revisions.length"
    class="plain link soft"
    aria-haspopup="dialog"
    @click="panel?.toggle($event)"
  >
    {{ words }}
  </button>
  <Popover ref="panel">
    <div class="revisions" role="group" aria-label="Revisions">
      <p class="soft">Each file as it came. Showing an older one loses none of the others.</p>
      <div v-for="revision in revisions" :key="revision.number" class="revision">
        <span class="mono">{{ revision.number }}</span>
        <WholeName :name="revision.name" />
        <span class="soft">{{ momentWords(revision.created) }}{{ revision.by && `, ${revision.by}` }}</span>
        <a class="link soft size" :href="address(revision.number)" :download="revision.name">
          Save, {{ bytesWords(revision.bytes) }}
        </a>
        <span v-if="revision.shown">● shown</span>
        <button
          v-else-if="mayWork"
          class="plain link"
          :aria-label="`Show revision ${revision.number}`"
          @click="take(revision.number)"
        >
          Show
        </button>
      </div>
    </div>
  </Popover>
</template>

<style scoped>
.revisions {
  width: 560px;
  max-height: 50vh;
  overflow: auto;
}
.revision {
  display: grid;
  grid-template-columns: 24px minmax(0, 1fr) 190px 110px 60px;
  gap: 10px;
  align-items: baseline;
  padding: 6px 0;
  border-bottom: 1px solid var(--rule);
}
.revision:last-child {
  border-bottom: none;
}
.size {
  text-align: right;
}
</style>
