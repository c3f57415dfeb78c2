<script setup lang="ts">
// A link that was just made, to be handed over.
import { computed } from 'vue';

import ShownOnce from './ShownOnce.vue';

const props = defineProps<{ secret: string; what: string }>();
defineEmits<{ done: [] }>();
const link = computed(() => `${location.origin}/join#${props.secret}`);
</script>

<template>
  <ShownOnce :text="link" @done="$emit('done')">
    <strong>{{ what }}</strong> Give it to them yourself. It works once, for a week, and is shown only now.
  </ShownOnce>
</template>
