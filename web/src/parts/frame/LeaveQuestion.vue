<script setup lang="ts">
// The question before work is left that is only on the page.
import Button from 'primevue/button';
import Dialog from 'primevue/dialog';
import { ref } from 'vue';

import { asked } from '@/lib/page/unkept';

const busy = ref(false);

async function keep(): Promise<void> {
  const held = asked.value;
  busy.value = true;
  const done = await held?.unkept.keep?.run().catch(() => false);
  busy.value = false;
  // What could not be kept says so by itself, and stays on the page.
  held?.answer(done === true);
}
</script>

<template>
  <Dialog
    v-if="asked"
    visible
    modal
    :draggable="false"
    :header="asked.unkept.header"
    :pt="{ root: { role: 'alertdialog' } }"
    @update:visible="asked.answer(false)"
  >
    <p class="message">{{ asked.unkept.message() }}</p>
    <div class="ways">
      <Button label="Stay" severity="secondary" autofocus :disabled="busy" @click="asked.answer(false)" />
      <Button
        v-if="asked.unkept.keep"
        :label="asked.unkept.keep.label"
        :loading="busy"
        severity="secondary"
        @click="keep"
      />
      <Button :label="asked.unkept.leave" :disabled="busy" @click="asked.answer(true)" />
    </div>
  </Dialog>
</template>

<style scoped>
.message {
  max-width: 420px;
}
.ways {
  display: flex;
  justify-content: flex-end;
  gap: 10px;
  padding-top: 18px;
}
</style>
