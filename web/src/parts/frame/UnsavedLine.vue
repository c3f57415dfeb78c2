<script setup lang="ts">
// Changes that are not saved yet: how many, which, and why.
import Button from 'primevue/button';
import Popover from 'primevue/popover';
import { computed, onBeforeUnmount, ref, watch } from 'vue';

import { useEditing } from '@/lib/page/edits';

// What is saved at once is not spoken of.
const PATIENCE = 900;
const { edits } = useEditing();
const panel = ref<InstanceType<typeof Popover> | null>(null);
const late = ref(false);
let timer: ReturnType<typeof setTimeout> | undefined;

const count = computed(() => edits.own.length);
const words = computed(() => `${count.value} change${count.value === 1 ? '' : 's'} not saved yet`);
watch(
  () => count.value > 0,
  (some) => {
    clearTimeout(timer);
    late.value = false;
    if (some) timer = setTimeout(() => (late.value = true), PATIENCE);
    else panel.value?.hide();
  },
  { immediate: true },
);
onBeforeUnmount(() => clearTimeout(timer));
</script>

<template>
  <span role="status" class="state" :data-waiting="count">
    <button v-if="count && (late || edits.trouble)" class="plain unsaved" @click="panel?.toggle($event)">
      <span aria-hidden="true">◆</span> {{ words }}
    </button>
  </span>
  <Popover ref="panel">
    <div class="list">
      <h2>{{ words }}</h2>
      <p class="soft">
        {{ edits.trouble || 'They are being sent.' }} They are kept in this browser, also when you reload or
        close the page, and are sent by themselves.
      </p>
      <div v-for="edit in edits.own" :key="edit.id" class="edit">
        <span>{{ edit.what }}</span>
        <button class="plain link soft" :aria-label="`Discard: ${edit.what}`" @click="edits.drop(edit.id)">
          Discard
        </button>
      </div>
      <Button label="Try now" :disabled="edits.sending" @click="edits.wake()" />
    </div>
  </Popover>
</template>

<style scoped>
.state {
  white-space: nowrap;
}
.unsaved {
  color: var(--ochre);
  font-weight: 600;
}
.list {
  width: 360px;
  max-height: 60vh;
  overflow: auto;
  display: grid;
  gap: 8px;
  justify-items: start;
}
.edit {
  display: flex;
  justify-content: space-between;
  gap: 12px;
  width: 100%;
  padding: 6px 0;
  border-bottom: 1px solid var(--rule);
}
</style>
