<script setup lang="ts">
// A form over the page, the same everywhere: the first field has the focus, enter does what it is for, escape leaves all as it was.
import Button from 'primevue/button';
import Dialog from 'primevue/dialog';

defineProps<{ title: string; act: string; busy?: boolean; disabled?: boolean }>();
const emit = defineEmits<{ close: []; submit: [] }>();

/** The dialog gives the focus to what is marked so, once it is there. */
function begin(form: unknown): void {
  (form as HTMLElement | null)?.querySelector('input, [role=combobox]')?.setAttribute('autofocus', '');
}
/** A list of choices keeps escape to itself, also where it is not open. */
function escape(event: KeyboardEvent): void {
  const { ariaExpanded, role } = event.target as HTMLElement;
  if (role !== 'combobox' || ariaExpanded === 'true') return;
  event.stopPropagation();
  emit('close');
}
</script>

<template>
  <Dialog visible modal :draggable="false" :header="title" @update:visible="emit('close')">
    <form
      :ref="begin"
      class="dialog-form"
      @keydown.esc.capture="escape"
      @submit.prevent="!disabled && !busy && emit('submit')"
    >
      <slot />
      <div class="acts">
        <Button label="Not yet" severity="secondary" @click="emit('close')" />
        <Button type="submit" :label="act" :loading="busy" :disabled="disabled" />
      </div>
      <slot name="below" />
    </form>
  </Dialog>
</template>
