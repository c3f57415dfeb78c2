<script setup lang="ts">
// What can be done with a document that was written on a page, and how its saving stands.
import Button from 'primevue/button';

defineProps<{
  changed: boolean;
  saving: boolean;
  /** The server is away, and the save is tried again. */
  waiting: boolean;
  /** What was typed before is here again. */
  restored: boolean;
  /** Saving is of use though nothing was changed. */
  first?: boolean;
  /** Why it cannot be saved as it is. */
  problem?: string;
}>();
defineEmits<{ save: []; discard: [] }>();
</script>

<template>
  <div class="acts">
    <Button
      label="Save"
      :disabled="!(changed || first) || saving || !!problem"
      :title="problem"
      :loading="saving"
      @click="$emit('save')"
    />
    <slot />
    <button v-if="changed && !saving" type="button" class="plain link soft" @click="$emit('discard')">
      Discard changes
    </button>
    <span v-if="waiting" class="said" role="status"
      >Waiting for the server; it is saved as soon as it answers.</span
    >
    <span v-else-if="restored" class="soft" role="status"
      >Your changes from before are here again, not saved yet.</span
    >
  </div>
</template>

<style scoped>
.acts {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px 12px;
}
.said {
  color: var(--ochre);
}
</style>
