<script setup lang="ts">
// A name that is never cut: where room is short it breaks between its words, and is still one piece to select and copy.
import { computed } from 'vue';

import { piecesOf } from '@/lib/values/format';

const props = defineProps<{ name: string }>();
const pieces = computed(() => piecesOf(props.name));
</script>

<template>
  <span class="whole"
    ><template v-for="(piece, index) in pieces" :key="index"><wbr v-if="index" />{{ piece }}</template></span
  >
</template>

<style scoped>
.whole {
  min-width: 0;
  overflow-wrap: anywhere;
}
</style>
