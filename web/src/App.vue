<script setup lang="ts">
import ConfirmDialog from 'primevue/confirmdialog';
import Toast from 'primevue/toast';
</script>

<template>
  <RouterView />
  <ConfirmDialog :draggable="false" />
  <Toast position="bottom-right" />
</template>
