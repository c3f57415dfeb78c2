<script setup lang="ts">
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import { ref } from 'vue';
import { useRoute, useRouter } from 'vue-router';

import { ApiError } from '@/api/client';
import Mark from '@/parts/Mark.vue';
import { useSession } from '@/stores/session';

const session = useSession();
const route = useRoute();
const router = useRouter();
const name = ref('');
const password = ref('');
const busy = ref(false);
const refused = ref('');

async function enter(): Promise<void> {
  busy.value = true;
  refused.value = '';
  try {
    await session.signIn(name.value, password.value);
    const to = typeof route.query.to === 'string' && /^\/(?!\/)/.test(route.query.to) ? route.query.to : '/';
    await router.push(to);
  } catch (error) {
    refused.value =
      error instanceof ApiError ? `${error.sentence} ${error.wayOut}` : 'Reload the page and try again.';
    password.value = '';
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <main class="door">
    <form class="slip" @submit.prevent="enter">
      <div class="brand"><Mark /><span>Fair Texel</span></div>
      <h1>Sign in</h1>
      <p class="soft">Texture sets, sorted, converted and packed as the engine wants them.</p>
      <label>
        <span>Name</span>
        <InputText v-model="name" name="name" autocomplete="username" autofocus required />
      </label>
      <label>
        <span>Password</span>
        <InputText
          v-model="password"
          name="password"
          type="password"
          autocomplete="current-password"
          required
        />
      </label>
      <p v-if="refused" class="refused" role="alert">✕ {{ refused }}</p>
      <Button type="submit" label="Sign in" :loading="busy" />
    </form>
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
  width: 300px;
  display: grid;
  gap: 12px;
}
.brand {
  display: flex;
  gap: 9px;
  align-items: center;
  font-weight: 700;
  font-size: 15px;
  margin-bottom: 26px;
}
label {
  display: grid;
  gap: 4px;
  font-weight: 600;
}
.slip .p-button {
  height: 34px;
  margin-top: 6px;
}
.refused {
  color: var(--madder);
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
