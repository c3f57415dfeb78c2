<script setup lang="ts">
// Who did what when, day by day, newest first; searched and narrowed, with the way back where there is one.
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import Select from 'primevue/select';
import { computed, toRef } from 'vue';

import { stepWords, type StepView } from '@/lib/page/steps';
import { useLitPictures } from '@/api/queries';
import { useRecord, type RecordAsked } from '@/api/studio';
import { useAddress } from '@/lib/page/address';
import { dayOf, KINDS, timeOf } from './record';

import LitThumb from '@/parts/board/LitThumb.vue';
import StepAbout from './StepAbout.vue';
import Trouble from '@/parts/widgets/Trouble.vue';

const props = defineProps<{ slug: string | null; kinds?: typeof KINDS }>();
const emit = defineEmits<{ undo: [step: StepView] }>();
const slug = toRef(props, 'slug');
const ALL = 'all';
const kind = useAddress('kind', ALL);
const by = useAddress('by', ALL);
const words = useAddress('words', '');
const set = useAddress('set', 0);
const choices = computed(() => props.kinds ?? KINDS);
const asked = computed<RecordAsked>(() => ({
  kinds: choices.value.find((choice) => choice.text === kind.value)?.kinds ?? [],
  by: by.value === ALL ? '' : by.value,
  words: words.value.trim(),
  set: set.value || null,
  act: null,
}));
const record = useRecord(slug, asked);
const litPicture = useLitPictures(slug);
const steps = computed(() => record.data.value?.pages.flatMap((page) => page.steps) ?? []);
const people = computed(() => record.data.value?.pages[0]?.people ?? []);
const narrowed = computed(() => kind.value !== ALL || by.value !== ALL || Boolean(words.value || set.value));
const days = computed(() => {
  const found = new Map<string, StepView[]>();
  for (const step of steps.value) {
    const day = dayOf(step.at);
    found.set(day, [...(found.get(day) ?? []), step]);
  }
  return [...found];
});
function all(): void {
  kind.value = by.value = ALL;
  words.value = '';
  set.value = 0;
}
defineExpose({ refetch: () => record.refetch() });
</script>

<template>
  <div>
    <div class="asked">
      <InputText v-model="words" placeholder="Search" aria-label="Search the record" />
      <Select
        v-model="kind"
        :options="[
          { text: ALL, label: 'all kinds' },
          ...choices.map((entry) => ({ ...entry, label: entry.text })),
        ]"
        option-label="label"
        option-value="text"
        aria-label="Kind of deed"
      />
      <Select
        v-model="by"
        :options="[{ name: ALL, label: 'everybody' }, ...people.map((name) => ({ name, label: name }))]"
        option-label="label"
        option-value="name"
        aria-label="Person"
      />
      <span v-if="set" class="soft">about one set</span>
      <button v-if="narrowed" class="plain link soft" @click="all">Show all</button>
    </div>
    <Trouble
      v-if="record.isError.value && !steps.length"
      :error="record.error.value"
      @again="record.refetch()"
    />
    <section v-for="[day, entries] in days" :key="day" :aria-label="day">
      <h2 class="day">{{ day }}</h2>
      <div v-for="step in entries" :key="step.id" class="step" :class="{ undone: step.undone }">
        <span class="mono soft">{{ timeOf(step.at) }}</span>
        <span class="who">{{ step.mine ? 'you' : step.by || 'somebody' }}</span>
        <LitThumb v-if="litPicture(step.set_id)" :edge="24" :src="litPicture(step.set_id)" />
        <span v-else />
        <span class="what">
          <span class="deed">{{ step.what }}</span>
          <StepAbout
            v-if="step.others || (step.name && !step.what.includes(step.name))"
            class="soft"
            :step="step"
            :slug="slug"
          />
        </span>
        <span v-if="step.undone" class="soft">undone</span>
        <button
          v-else-if="step.may_undo"
          class="plain link soft"
          :aria-label="`${step.what === 'Removed' ? 'Bring back' : 'Undo'}: ${stepWords(step)}`"
          @click="emit('undo', step)"
        >
          {{ step.what === 'Removed' ? 'Bring back' : 'Undo' }}
        </button>
      </div>
    </section>
    <p v-if="record.isFetched.value && !steps.length && !record.isError.value" class="soft none">
      {{ narrowed ? 'Nothing on record fits that.' : 'Nothing has been done yet.' }}
    </p>
    <Button
      v-if="record.hasNextPage.value"
      class="older"
      label="Show older"
      severity="secondary"
      :loading="record.isFetchingNextPage.value"
      @click="record.fetchNextPage()"
    />
  </div>
</template>

<style scoped>
.asked {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 12px;
  align-items: center;
  padding: 14px 0 4px;
}
.day {
  margin-top: 18px;
  padding-bottom: 6px;
  border-bottom: 1px solid var(--ink);
}
.step {
  display: grid;
  grid-template-columns: 62px 92px 24px minmax(0, 1fr) auto;
  gap: 12px;
  align-items: center;
  min-height: 32px;
  padding: 3px 0;
  border-bottom: 1px solid var(--rule);
}
.who {
  font-weight: 600;
  overflow-wrap: anywhere;
}
.what {
  display: flex;
  flex-wrap: wrap;
  gap: 0 12px;
  overflow-wrap: anywhere;
}
.undone .deed {
  text-decoration: line-through;
}
.none {
  padding: 18px 0;
}
.older {
  margin-top: 14px;
}
</style>
