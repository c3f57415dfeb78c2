<script setup lang="ts">
// Links that were just made, to be handed over: each stays until somebody says that they have it.
import type { FreshLink } from './offer';
import ShownOnce from './ShownOnce.vue';

const links = defineModel<readonly FreshLink[]>({ required: true });
const addressOf = (link: FreshLink) => `${location.origin}/join#${link.secret}`;
function handed(link: FreshLink): void {
  links.value = links.value.filter((other) => other.secret !== link.secret);
}
</script>

<template>
  <ShownOnce v-for="link in links" :key="link.secret" :text="addressOf(link)" @done="handed(link)">
    <strong>{{ link.what }}</strong> Give it to them yourself. It works once, for a week, and is shown only
    now.
  </ShownOnce>
</template>
