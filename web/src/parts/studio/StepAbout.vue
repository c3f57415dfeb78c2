<script setup lang="ts">
// What a step was done to: one thing, or the first of many, which opens into all of them.
import { computed, ref, toRef } from 'vue';
import { RouterLink } from 'vue-router';

import { useRecord, type RecordAsked } from '@/api/studio';
import type { StepView } from '@/lib/page/steps';
import { whereOf } from './record';
import { counted } from '@/lib/values/local';

const props = defineProps<{ step: StepView; slug: string | null }>();
defineEmits<{ leave: [] }>();
const opened = ref(false);
const asked = computed<RecordAsked>(() => ({
  kinds: [props.step.kind],
  by: '',
  words: '',
  set: null,
  act: props.step.act,
}));
const record = useRecord(toRef(props, 'slug'), asked, opened);
const all = computed(() =>
  opened.value && record.data.value
    ? record.data.value.pages.flatMap(({ steps }) => steps.filter(({ what }) => what === props.step.what))
    : [props.step],
);
const where = (step: StepView) => (props.slug ? whereOf(step, props.slug) : null);
</script>

<template>
  <span>
    <template v-for="(one, index) in all" :key="one.id"
      ><template v-if="index">, </template
      ><RouterLink v-if="where(one)" class="link" :to="where(one)!" @click="$emit('leave')">{{
        one.name
      }}</RouterLink
      ><template v-else>{{ one.name }}</template></template
    >
    <template v-if="step.others">{{ ' ' }}</template>
    <button
      v-if="step.others"
      type="button"
      class="plain link"
      :aria-expanded="opened"
      @click="opened = !opened"
    >
      {{ opened ? 'fewer' : `and ${counted(step.others)} more` }}
    </button>
    <button
      v-if="opened && record.hasNextPage.value"
      type="button"
      class="plain link"
      @click="record.fetchNextPage()"
    >
      show more
    </button>
  </span>
</template>
