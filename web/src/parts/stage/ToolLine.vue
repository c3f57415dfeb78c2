<script setup lang="ts">
// A line of tools under a picture: they flow into more lines where there is less room.
</script>

<template>
  <div class="tools"><slot /></div>
</template>

<style scoped>
.tools {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px 14px;
  padding: 8px 16px;
  border-top: 1px solid var(--rule);
}
.tools :slotted(.p-select) {
  max-width: 190px;
}
@container (width < 860px) {
  .tools {
    column-gap: 8px;
  }
  .tools :slotted(.p-select) {
    max-width: 124px;
  }
}
.tools :slotted(.space) {
  flex: 1;
}
</style>
