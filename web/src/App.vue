<script setup lang="ts">
import ConfirmDialog from 'primevue/confirmdialog';
import Toast from 'primevue/toast';
import { useRouter } from 'vue-router';

import { useFocusKept } from '@/lib/page/focus';
import { findLost } from '@/lib/page/lost';
import { useSay } from '@/lib/page/say';
import LeaveQuestion from '@/parts/frame/LeaveQuestion.vue';
import Mark from '@/parts/frame/Mark.vue';
import SignInAgain from '@/parts/frame/SignInAgain.vue';
import { useSession } from '@/stores/session';

const session = useSession();
const say = useSay();
useFocusKept();
findLost(useRouter(), (address) => window.location.assign(address), say.wrong);
</script>

<template>
  <main v-if="session.away && !session.known" class="away" role="alert">
    <div class="brand"><Mark /><span>Fair Texel</span></div>
    <h1>Waiting for the server</h1>
    <p>{{ session.away }}</p>
    <p class="soft">This page goes on by itself as soon as it answers.</p>
  </main>
  <RouterView />
  <SignInAgain />
  <LeaveQuestion />
  <ConfirmDialog :draggable="false" />
  <Toast position="bottom-right" />
</template>

<style scoped>
.away {
  display: grid;
  gap: 8px;
  padding: 48px 20px;
  max-width: 520px;
  margin: 0 auto;
}
.brand {
  display: flex;
  gap: 9px;
  align-items: center;
  font-weight: 700;
  font-size: 15px;
  margin-bottom: 18px;
}
</style>
