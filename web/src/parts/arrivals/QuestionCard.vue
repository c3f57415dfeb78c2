<script setup lang="ts">
// One open question: what it is about, the pictures that tell, and the answers with the sensible one first.
import { computed, ref, watch } from 'vue';

import type { Chosen, QuestionView } from '@/api/arriving';

import FileName from '@/parts/widgets/FileName.vue';
import ChannelsAnswer from './ChannelsAnswer.vue';
import MemberGallery from './MemberGallery.vue';
import WholeName from '@/parts/widgets/WholeName.vue';

const props = defineProps<{
  entry: QuestionView;
  chosen: boolean;
  mayWork: boolean;
  mayTeach: boolean;
  busy: boolean;
}>();
const emit = defineEmits<{
  answer: [key: string | null, teach: boolean, holds?: Record<string, string>];
  choose: [];
}>();
const picked = defineModel<Chosen>('picked', { required: true });
const teach = defineModel<boolean>('teach', { required: true });
const failed = ref(false);
/** Whether it is being said channel by channel. */
const byChannel = ref(false);
/** Whether its set cannot be shown lit. */
const dark = ref(false);

const question = computed(() => props.entry.question);
/** The sensible answer first, the others in their order. */
const answers = computed(() => [...question.value.answers].sort((a, b) => prepared(b.key) - prepared(a.key)));
const habits = computed(() => answers.value.some((answer) => answer.habit));
const teachable = computed(() => props.mayTeach && habits.value);
const many = computed(() => props.entry.members.length > 1);
const some = computed(() => picked.value.members.length + picked.value.places.length);
/** What is to be answered: in how many files, where only some were chosen. */
const only = computed(() => {
  const { members, places } = picked.value;
  const counted = props.entry.places
    .filter((place) => places.includes(place.place))
    .reduce((sum, entry) => sum + entry.count, 0);
  const single = props.entry.members.filter(
    (member) => members.includes(member.key) && !places.includes(member.place),
  ).length;
  return counted + single;
});
watch(
  () => props.entry.question.key,
  () => (picked.value = { members: [], places: [] }),
);
const direction = computed(() => question.value.about === 'normal' && question.value.kind === 'disagrees');
const pictures = computed(() => {
  const [first, ...others] = props.entry.files;
  if (!first) return [];
  if (direction.value) {
    return [
      { url: evidence(first.id, 'lit-up'), title: 'lit as +Y' },
      { url: evidence(first.id, 'lit-down'), title: 'lit as −Y' },
      { url: evidence(first.id, 'curl-up'), title: 'curl as +Y' },
      { url: evidence(first.id, 'curl-down'), title: 'curl as −Y' },
    ];
  }
  if (question.value.kind === 'disagrees' && first.channels.length >= 3) {
    return ['RGB', ...first.channels].map((view) => ({ url: small(first.id, view), title: view }));
  }
  return [first, ...others].slice(0, 4).map((file) => ({ url: small(file.id, 'RGB'), title: file.name }));
});

function prepared(key: string): number {
  return key === question.value.prepared ? 1 : 0;
}
function evidence(id: number, kind: string): string {
  return `/api/files/${id}/evidence/${kind}`;
}
function small(id: number, view: string): string {
  return `/api/files/${id}/picture?view=${view}&size=small`;
}
</script>

<template>
  <article
    class="question"
    :class="{ chosen, many }"
    :aria-label="question.text"
    :aria-current="chosen"
    :data-question="question.key"
    @click="emit('choose')"
  >
    <div v-if="!many" class="pictures">
      <figure v-for="picture in failed ? [] : pictures" :key="picture.url">
        <img :src="picture.url" :alt="picture.title" loading="lazy" @error="failed = true" />
        <figcaption v-if="pictures.length > 1" class="mono faint">
          <WholeName :name="picture.title" />
        </figcaption>
      </figure>
      <p v-if="failed" class="soft">No picture of it can be shown.</p>
    </div>
    <div class="body">
      <h3>{{ question.text }}</h3>
      <p class="why">{{ question.why }}</p>
      <MemberGallery v-if="many" v-model:chosen="picked" :entry="entry" :may-choose="mayWork" />
      <p v-else-if="entry.files[0]" class="soft where">
        <img
          v-if="question.set && !dark"
          class="lit"
          :src="`/api/sets/${question.set}/lit`"
          alt=""
          width="40"
          height="40"
          loading="lazy"
          @error="dark = true"
        />
        <span v-if="entry.set_name">{{ entry.set_name }}</span>
        <FileName :name="entry.files[0].path" />
      </p>
      <p v-if="many && some" class="only">
        The answer is for the {{ only }} chosen alone.
        <button type="button" class="plain link" @click.stop="picked = { members: [], places: [] }">
          For all {{ entry.total }} instead
        </button>
      </p>
      <div v-if="mayWork" class="answers">
        <button
          v-for="(answer, index) in answers"
          :key="answer.key"
          class="answer"
          :class="{ first: answer.key === question.prepared }"
          :disabled="busy"
          @click.stop="emit('answer', answer.key, teach && Boolean(answer.habit))"
        >
          <kbd v-if="index < 9" class="mono">{{ index + 1 }}</kbd>{{ answer.label }}
        </button>
        <button
          v-if="entry.channels.length > 1"
          type="button"
          class="answer"
          :aria-expanded="byChannel"
          :disabled="busy"
          @click.stop="byChannel = !byChannel"
        >
          By channel …
        </button>
        <label v-if="teachable" class="teach" @click.stop>
          <input v-model="teach" type="checkbox" :disabled="some > 0" />
          {{
            many
              ? 'keep this as a habit: files with this ending that come later too'
              : 'treat all such files so'
          }}
        </label>
      </div>
      <ChannelsAnswer
        v-if="mayWork && byChannel"
        :channels="entry.channels"
        :file="entry.files[0]?.id ?? null"
        :act="many ? `Take ${some ? only : entry.total} files so` : 'Take it so'"
        :busy="busy"
        @answer="emit('answer', null, teach && habits, $event)"
        @click.stop
      />
    </div>
  </article>
</template>

<style scoped>
.question {
  display: grid;
  grid-template-columns: 212px minmax(0, 1fr);
  gap: 18px;
  padding: 14px 8px;
  border-bottom: 1px solid var(--rule);
  border-left: 3px solid transparent;
}
.many {
  grid-template-columns: minmax(0, 1fr);
}
.many .why {
  margin-bottom: 10px;
}
.only {
  margin-top: 10px;
  font-weight: 600;
}
.chosen {
  background: var(--wash);
  border-left-color: var(--madder);
}
.pictures {
  display: grid;
  gap: 6px 8px;
  align-content: start;
}
.pictures {
  grid-template-columns: 1fr 1fr;
}
figure {
  margin: 0;
  min-width: 0;
}
img {
  display: block;
  width: 100%;
  aspect-ratio: 1;
  object-fit: cover;
  background: var(--well);
}
figcaption {
  margin-top: 3px;
}
h3 {
  font-size: 15px;
  font-weight: 650;
  letter-spacing: -0.01em;
  margin: 0 0 4px;
  overflow-wrap: anywhere;
}
.why {
  max-width: 640px;
}
.where {
  display: flex;
  align-items: center;
  gap: 12px;
  margin-top: 6px;
}
.where .lit {
  width: 40px;
}
.answers {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin-top: 12px;
  align-items: center;
}
.answer {
  display: flex;
  align-items: center;
  gap: 8px;
  min-height: 28px;
  padding: 3px 11px 3px 8px;
  background: none;
  color: var(--ink);
  border: 1px solid color-mix(in srgb, var(--ink) 32%, transparent);
  border-radius: 3px;
  cursor: pointer;
  text-align: left;
}
.answer:hover:not(:disabled) {
  border-color: var(--ink);
  background: var(--sheet);
}
.answer kbd {
  color: var(--faint);
}
.first {
  border-color: var(--ink);
  font-weight: 650;
}
.teach {
  display: flex;
  gap: 6px;
  align-items: center;
  margin-left: 8px;
  color: var(--soft);
  cursor: pointer;
}
.teach input {
  accent-color: var(--madder);
}
</style>
