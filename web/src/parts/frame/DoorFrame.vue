<script setup lang="ts">
// The frame of the pages that are seen before signing in: a slip to write on beside a sheet of proofs.
import Mark from './Mark.vue';

defineProps<{ title: string }>();
</script>

<template>
  <main class="door">
    <div class="slip">
      <div class="brand"><Mark /><span>Fair Texel</span></div>
      <h1>{{ title }}</h1>
      <slot />
    </div>
    <div class="sheet" aria-hidden="true">
      <i v-for="cell in 144" :key="cell" :class="`c${(cell * 7 + Math.floor(cell / 12) * 5) % 11}`" />
    </div>
  </main>
</template>

<style scoped>
.door {
  min-height: 100%;
  display: grid;
  grid-template-columns: minmax(360px, 1fr) minmax(0, 1.15fr);
}
.slip {
  align-self: center;
  justify-self: center;
  width: 310px;
  display: grid;
  gap: 12px;
}
.slip :deep(form) {
  display: grid;
  gap: 12px;
}
.slip :deep(label) {
  display: grid;
  gap: 4px;
  font-weight: 600;
}
.slip :deep(form .p-button[type='submit']) {
  height: 34px;
  margin-top: 6px;
}
.slip :deep(.refused) {
  color: var(--madder);
}
.brand {
  display: flex;
  gap: 9px;
  align-items: center;
  font-weight: 700;
  font-size: 15px;
  margin-bottom: 26px;
}
/* A sheet of proofs, in the well's grey: the mark's two inks on sixty-odd texels. */
.sheet {
  background: var(--well);
  display: grid;
  grid-template-columns: repeat(12, 1fr);
  grid-template-rows: repeat(12, 1fr);
}
.sheet i {
  background: #777;
}
.sheet .c1,
.sheet .c6 {
  background: #6d6e70;
}
.sheet .c2 {
  background: #838382;
}
.sheet .c4 {
  background: #5d6167;
}
.sheet .c8 {
  background: #98968f;
}
.sheet .c9:nth-child(5n) {
  background: #a8332f;
}
.sheet .c3:nth-child(4n) {
  background: #1b2430;
}
.sheet .c10:nth-child(6n) {
  background: #f6f4ef;
}
</style>
