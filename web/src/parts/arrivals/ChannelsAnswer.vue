<script setup lang="ts">
// What a packed file holds, said channel by channel, beside a picture of each and what its pixels look like.
import Button from 'primevue/button';
import { computed, reactive, watch } from 'vue';

import type { Schemas } from '@/api/client';
import type { Offer } from '@/parts/widgets/offer';
import PickField from '@/parts/widgets/PickField.vue';
import { MEANINGS, meaningWords } from '@/lib/values/meanings';

const props = defineProps<{
  channels: readonly Schemas['ChannelLook'][];
  /** The file whose channels are shown; null shows none. */
  file: number | null;
  act: string;
  busy: boolean;
}>();
const emit = defineEmits<{ answer: [held: Record<string, string>] }>();

const held = reactive<Record<string, string>>({});
watch(
  () => props.channels,
  (channels) => {
    for (const { channel, guess } of channels) held[channel] ??= guess;
  },
  { immediate: true },
);
/** One letter for one property, as in the cells of a target. */
const LETTERS: Record<string, string> = {
  a: 'opacity',
  c: 'base_colour',
  o: 'occlusion',
  r: 'roughness',
  m: 'metallic',
  h: 'height',
  n: 'normal',
  e: 'emissive',
  k: 'mask',
};
const NOTHING: Offer = { value: '', text: 'nothing' };
const all: Offer[] = [
  ...MEANINGS.map((value) => ({
    value,
    text: meaningWords(value),
    said: ['base_colour', 'emissive', 'specular', 'normal'].includes(value) ? 'in R, G and B together' : '',
  })),
  NOTHING,
];
function offers(typed: string): Offer[] {
  const text = typed.trim().toLowerCase();
  const first = (offer: Offer) =>
    Number(offer.value !== LETTERS[text]) + Number(!offer.text.startsWith(text));
  return all
    .filter((offer) => offer.text.includes(text) || offer.value === LETTERS[text])
    .sort((a, b) => first(a) - first(b));
}
function typed(channel: string, text: string): void {
  const [best] = offers(text);
  held[channel] = text.trim() && best ? best.value : '';
}
const empty = computed(() => props.channels.every(({ channel }) => !held[channel]));
</script>

<template>
  <form class="channels" aria-label="What each channel holds" @submit.prevent="emit('answer', { ...held })">
    <div v-for="{ channel, looks } in channels" :key="channel" class="channel" :data-channel="channel">
      <img
        v-if="file !== null"
        width="96"
        height="96"
        loading="lazy"
        :src="`/api/files/${file}/picture?view=${channel}&size=small`"
        :alt="`Channel ${channel}`"
      />
      <span class="mono letter">{{ channel }}</span>
      <PickField
        :text="held[channel] ? meaningWords(held[channel]) : ''"
        empty="nothing"
        :label="`What ${channel} holds`"
        :offers="offers"
        editable
        @take="held[channel] = $event"
        @typed="typed(channel, $event)"
      />
      <span class="soft looks">{{ looks }}</span>
    </div>
    <Button type="submit" :label="act" severity="secondary" :disabled="busy || empty" />
  </form>
</template>

<style scoped>
.channels {
  display: flex;
  flex-wrap: wrap;
  gap: 12px 18px;
  align-items: end;
  padding: 10px 0 4px;
}
.channel {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 4px 8px;
  align-items: center;
  width: 150px;
}
.channel img {
  grid-column: 1 / -1;
  background: var(--well);
  object-fit: contain;
}
.letter {
  font-weight: 600;
}
.looks {
  grid-column: 1 / -1;
  font-size: 12px;
  min-height: 2.6em;
}
</style>
