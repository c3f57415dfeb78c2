<script setup lang="ts">
// The members of a question that many files share: looked through, and some of them chosen to be answered otherwise.
import { computed, ref } from 'vue';

import type { Chosen, QuestionView } from '@/api/arriving';

import WholeName from '@/parts/widgets/WholeName.vue';

const props = defineProps<{ entry: QuestionView; mayChoose: boolean }>();
const chosen = defineModel<Chosen>('chosen', { required: true });
const FEW = 10;
const all = ref(false);
const members = computed(() => (all.value ? props.entry.members : props.entry.members.slice(0, FEW)));
const folders = computed(() => (props.entry.places.length > 1 ? props.entry.places : []));
const MOST_FOLDERS = 8;
const every = ref(false);
const listed = computed(() => {
  const bySize = [...folders.value].sort((a, b) => b.count - a.count);
  return every.value ? bySize : bySize.slice(0, MOST_FOLDERS);
});

function flip(list: string[], key: string): string[] {
  return list.includes(key) ? list.filter((entry) => entry !== key) : [...list, key];
}
function choose(key: string): void {
  if (props.mayChoose) chosen.value = { ...chosen.value, members: flip(chosen.value.members, key) };
}
function choosePlace(place: string): void {
  if (props.mayChoose) chosen.value = { ...chosen.value, places: flip(chosen.value.places, place) };
}
function isChosen(key: string, place: string): boolean {
  return chosen.value.members.includes(key) || chosen.value.places.includes(place);
}
</script>

<template>
  <div class="gallery">
    <div class="pictures">
      <button
        v-for="member in members"
        :key="member.key"
        type="button"
        class="plain member"
        :class="{ chosen: isChosen(member.key, member.place), unlike: member.unlike }"
        :aria-pressed="isChosen(member.key, member.place)"
        :title="member.files.map((file) => file.path).join('\n')"
        @click.stop="choose(member.key)"
      >
        <img
          v-for="file in member.files.slice(0, 1)"
          :key="file.id"
          :src="`/api/files/${file.id}/picture?view=RGB&size=small`"
          :alt="file.name"
          loading="lazy"
        />
        <WholeName class="mono name" :name="member.files[0]?.name.replace(/\.[^.]+$/, '') ?? ''" />
        <span v-if="member.unlike" class="sign">◆ looks unlike the rest</span>
      </button>
    </div>
    <p class="more soft">
      <button v-if="entry.members.length > FEW" type="button" class="plain link" @click.stop="all = !all">
        {{
          all
            ? 'Show fewer'
            : entry.members.length < entry.total
              ? `Show ${entry.members.length} of ${entry.total}`
              : `Show all ${entry.total}`
        }}
      </button>
      <span v-else-if="entry.total > entry.members.length">
        {{ entry.members.length }} of {{ entry.total }} are shown.
      </span>
      <template v-if="mayChoose && entry.total > 1">
        Choose pictures or folders to answer for them alone.
      </template>
    </p>
    <div v-if="folders.length" class="folders">
      <button
        v-for="place in listed"
        :key="place.place"
        type="button"
        class="folder mono"
        :class="{ chosen: chosen.places.includes(place.place) }"
        :aria-pressed="chosen.places.includes(place.place)"
        @click.stop="choosePlace(place.place)"
      >
        {{ place.place || 'no folder' }} <span class="faint">{{ place.count }}</span>
      </button>
      <button
        v-if="folders.length > MOST_FOLDERS"
        type="button"
        class="plain link soft"
        @click.stop="every = !every"
      >
        {{ every ? 'Fewer folders' : `All ${folders.length} folders` }}
      </button>
    </div>
  </div>
</template>

<style scoped>
.pictures {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(112px, 1fr));
  gap: 10px 8px;
}
.member {
  display: block;
  text-align: left;
  min-width: 0;
  padding: 3px;
  border: 1px solid transparent;
  cursor: pointer;
}
.member img {
  display: block;
  width: 100%;
  aspect-ratio: 1;
  object-fit: cover;
  background: var(--well);
}
.member.chosen {
  border-color: var(--ink);
  background: var(--sheet);
}
.name {
  display: block;
  margin-top: 4px;
  font-size: 10.5px;
  line-height: 1.3;
  overflow-wrap: anywhere;
}
.sign {
  color: var(--ochre);
  display: block;
}
.more {
  margin-top: 8px;
}
.folders {
  display: flex;
  flex-wrap: wrap;
  gap: 5px;
  margin-top: 8px;
}
.folder {
  font-size: 11px;
  min-height: 24px;
  padding: 2px 8px;
  background: none;
  color: var(--ink);
  border: 1px solid var(--rule);
  border-radius: 2px;
  cursor: pointer;
}
.folder.chosen {
  border-color: var(--ink);
  background: var(--sheet);
  font-weight: 600;
}
</style>
