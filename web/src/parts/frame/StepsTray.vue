<script setup lang="ts">
// Undo and redo, and the list of the last steps of the project, each of which may be taken back by itself.
import Popover from 'primevue/popover';
import { computed, ref, toRef } from 'vue';

import { useMayWork } from '@/api/queries';
import { stepWords, useUndo } from '@/lib/page/steps';
import { useActions } from '@/lib/page/keys';
import StepAbout from '@/parts/studio/StepAbout.vue';
import { useEdits } from '@/stores/edits';
import { dayWords, timeWords } from '@/lib/values/local';

const props = defineProps<{ slug: string }>();
const slug = toRef(props, 'slug');
const mayWork = useMayWork(slug);
const edits = useEdits();
const { steps, undo, redo, undoStep } = useUndo(slug);
const panel = ref<InstanceType<typeof Popover> | null>(null);

const last = computed(() => steps.data.value?.undo);
const following = computed(() => steps.data.value?.redo);
const list = computed(() => steps.data.value?.steps ?? []);
const undoTitle = computed(() => {
  const unsent = edits.own.at(-1);
  if (unsent) return `Undo: ${unsent.what}`;
  return last.value ? `Undo: ${stepWords(last.value)}` : 'You have nothing to undo in this project';
});

function when(at: string): string {
  const date = new Date(at);
  const today = date.toDateString() === new Date().toDateString();
  return today ? timeWords(date) : dayWords(date);
}
useActions({
  undo: () => void (mayWork.value && undo()),
  redo: () => void (mayWork.value && redo()),
});
</script>

<template>
  <span v-if="mayWork" class="steps">
    <button class="plain" :disabled="!last && !edits.own.length" :title="undoTitle" @click="undo()">
      Undo
    </button>
    <button
      class="plain"
      :disabled="!following"
      :title="following ? stepWords(following) : ''"
      @click="redo()"
    >
      Redo
    </button>
    <button class="plain more" aria-haspopup="dialog" @click="panel?.toggle($event)">Steps</button>
  </span>
  <Popover ref="panel">
    <div class="list">
      <h2>Last steps</h2>
      <p class="soft">
        Any of them can be undone by itself, as long as nobody has changed the same thing since. What was
        removed can be brought back for 30 days.
      </p>
      <RouterLink class="link soft" :to="{ name: 'record', params: { slug } }" @click="panel?.hide()"
        >The whole record</RouterLink
      >
      <p v-if="!list.length" class="soft">Nobody has changed anything by hand yet.</p>
      <ol>
        <li v-for="step in list" :key="step.id" class="step" :class="{ undone: step.undone }">
          <span class="mono soft">{{ when(step.at) }}</span>
          <span class="what">
            <span>{{ step.what }}</span>
            <span class="soft"
              ><StepAbout :step="step" :slug="slug" @leave="panel?.hide()" />,
              {{ step.mine ? 'you' : step.by || 'somebody' }}</span
            >
          </span>
          <span v-if="step.undone" class="soft">undone</span>
          <button
            v-else-if="step.may_undo"
            class="plain link"
            :aria-label="`${step.what === 'Removed' ? 'Bring back' : 'Undo'}: ${stepWords(step)}`"
            @click="undoStep(step)"
          >
            {{ step.what === 'Removed' ? 'Bring back' : 'Undo' }}
          </button>
        </li>
      </ol>
    </div>
  </Popover>
</template>

<style scoped>
.steps {
  display: flex;
  gap: 12px;
}
.steps button:disabled {
  color: var(--faint);
  cursor: default;
}
.list {
  width: 420px;
  max-height: 64vh;
  overflow: auto;
}
ol {
  list-style: none;
  margin: 8px 0 0;
  padding: 0;
}
.step {
  display: grid;
  grid-template-columns: 64px minmax(0, 1fr) auto;
  gap: 10px;
  padding: 7px 0;
  border-bottom: 1px solid var(--rule);
  align-items: baseline;
}
.what {
  display: grid;
  overflow-wrap: anywhere;
}
.undone .what > :first-child {
  text-decoration: line-through;
}
</style>
