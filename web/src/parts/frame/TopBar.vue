<script setup lang="ts">
import Button from 'primevue/button';
import { useRouter } from 'vue-router';

import { useSay } from '@/lib/page/say';
import { mayLeave } from '@/lib/page/unkept';
import { useAppearance } from '@/stores/appearance';
import { useSession } from '@/stores/session';

import Mark from './Mark.vue';

const session = useSession();
const appearance = useAppearance();
const router = useRouter();
const say = useSay();

async function leave(): Promise<void> {
  if (!(await mayLeave())) return;
  try {
    await session.signOut();
    await router.push({ name: 'sign-in' });
  } catch (error) {
    say.wrong(error);
  }
}
</script>

<template>
  <header class="bar">
    <RouterLink class="brand" to="/"><Mark /><span>Fair Texel</span></RouterLink>
    <nav class="where" aria-label="Where you are"><slot name="where" /></nav>
    <span class="space" />
    <slot name="work" />
    <button class="plain quiet" @click="appearance.toggle()">
      {{ appearance.evening ? 'Light' : 'Dark' }}
    </button>
    <RouterLink v-if="session.studio" class="quiet" :to="{ name: 'studio' }">Studio</RouterLink>
    <RouterLink class="user" to="/account">{{ session.user }}</RouterLink>
    <Button class="leave" label="Sign out" severity="secondary" text @click="leave" />
  </header>
</template>

<style scoped>
.bar {
  min-height: 44px;
  padding: 0 14px;
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 2px 18px;
  border-bottom: 1px solid var(--rule);
  flex: none;
}
.brand {
  display: flex;
  gap: 9px;
  align-items: center;
  font-weight: 700;
  font-size: 15px;
  letter-spacing: -0.01em;
  width: 118px;
}
.where {
  display: flex;
  gap: 8px;
  white-space: nowrap;
  min-width: 0;
}
/* The last of where one is may be long: it is cut, and stands whole in the page's title. */
.where :slotted(*) {
  flex: none;
}
.where :slotted(:last-child) {
  flex: 0 1 auto;
  overflow: hidden;
  text-overflow: ellipsis;
}
.space {
  flex: 1;
}
@media (max-width: 1100px) {
  .bar {
    flex-wrap: nowrap;
    column-gap: 12px;
    white-space: nowrap;
  }
  .brand {
    width: auto;
  }
  .brand span {
    display: none;
  }
  .where {
    flex: 0 1 auto;
    overflow: hidden;
  }
}
.quiet {
  color: var(--soft);
}
.quiet:hover {
  color: var(--ink);
}
.user {
  font-weight: 600;
}
.bar .leave {
  padding: 0 6px;
  border: 0;
  color: var(--soft);
  margin-left: -8px;
}
</style>
