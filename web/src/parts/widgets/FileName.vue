<script setup lang="ts">
// A file's name, whole and in one piece that can be selected: where room is short it breaks, and nothing of it is cut away.
import WholeName from './WholeName.vue';

defineProps<{ name: string }>();
</script>

<template>
  <span class="name mono" :title="name"><WholeName :name="name" /></span>
</template>

<style scoped>
.name {
  display: inline-block;
  max-width: 100%;
  min-width: 0;
  font-size: 11px;
  line-height: 1.35;
  vertical-align: bottom;
  overflow-wrap: anywhere;
}
</style>
