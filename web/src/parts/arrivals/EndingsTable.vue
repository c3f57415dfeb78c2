<script setup lang="ts">
// How the files of a project end, and what each class was taken for: the quickest way to understand somebody else's folder.
import { computed, ref, toRef } from 'vue';

import { useEndings, useQuestions, useSettle, type EndingView } from '@/api/arriving';
import { useSay } from '@/lib/page/say';

import ChannelsAnswer from './ChannelsAnswer.vue';
import StateGlyph from '@/parts/widgets/StateGlyph.vue';
import Trouble from '@/parts/widgets/Trouble.vue';
import { meaningWords } from '@/lib/values/meanings';
import { counted } from '@/lib/values/local';

const props = defineProps<{ slug: string; mayWork: boolean; lead: boolean }>();
const slug = toRef(props, 'slug');
const endings = useEndings(slug);
const questions = useQuestions(slug);
const settle = useSettle(slug);
const say = useSay();
const busy = ref(false);
const lines = computed(() => endings.data.value?.endings ?? []);
const asked = computed(() => lines.value.filter((line) => line.asked).length);
const LOOKS: Record<string, string> = {
  directions: 'directions',
  flat: 'flat',
  colour: 'in colour',
  grey: 'grey',
  packed: 'unlike channels',
  constant: 'one value',
  unknown: 'not looked at',
};

function looks(line: EndingView): string {
  const parts = Object.entries(line.looks).sort((a, b) => b[1] - a[1]);
  return parts.map(([look, count]) => `${count} ${LOOKS[look] ?? look}`).join(', ');
}
function held(line: EndingView): string {
  return line.meanings.map(meaningWords).join(', ');
}
function answersOf(line: EndingView) {
  const entry = questions.data.value?.open.find((open) => open.question.key === line.question);
  if (!entry) return [];
  const { answers, prepared } = entry.question;
  return [...answers].sort((a, b) => Number(b.key === prepared) - Number(a.key === prepared));
}
const BY_CHANNEL = 'by channel';
/** The ending that is being said channel by channel. */
const opened = ref('');
function channelsOf(line: EndingView) {
  return questions.data.value?.open.find((open) => open.question.key === line.question)?.channels ?? [];
}
function choose(line: EndingView, answer: string): void {
  opened.value = answer === BY_CHANNEL ? line.ending : '';
  if (answer !== BY_CHANNEL) void decide(line, answer);
}
async function decide(
  line: EndingView,
  answer: string | null,
  holds: Record<string, string> | null = null,
): Promise<void> {
  if (!line.question || answer === '' || busy.value) return;
  busy.value = true;
  try {
    await settle.answer(line.question, answer, props.lead, null, holds);
    await endings.refetch();
  } catch (error) {
    say.wrong(error);
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <section aria-label="Endings">
    <div class="head">
      <h2 v-term="'ending'">Endings</h2>
      <p v-if="endings.data.value" class="soft">
        {{ counted(endings.data.value.files) }} files, {{ lines.length }} endings<template v-if="asked"
          >, {{ asked }} to settle</template
        ><template v-if="endings.data.value.alone"
          >; {{ counted(endings.data.value.alone) }} pictures stand alone</template
        >
      </p>
    </div>
    <Trouble v-if="endings.isError.value" :error="endings.error.value" @again="endings.refetch()" />
    <div v-if="lines.length" class="table" role="table" aria-label="How files end">
      <div class="titles soft" role="row">
        <span role="columnheader">ends in</span>
        <span role="columnheader" class="number">files</span>
        <span role="columnheader" class="number">sets</span>
        <span role="columnheader">holds</span>
        <span role="columnheader">what they look like, and why</span>
        <span role="columnheader">samples</span>
      </div>
      <div
        v-for="line in lines"
        :key="`${line.ending}${line.asked}${line.meanings.join()}`"
        class="row"
        :class="{ asked: line.asked }"
        role="row"
      >
        <span role="cell" class="mono ending">
          <template v-if="line.ending">{{ line.written }}</template>
          <i v-else class="soft">no ending</i>
        </span>
        <span role="cell" class="number mono">{{ counted(line.files) }}</span>
        <span role="cell" class="number mono">{{ counted(line.stems) }}</span>
        <span role="cell" class="held">
          <select
            v-if="line.asked && mayWork && answersOf(line).length"
            :disabled="busy"
            :aria-label="`What files that end in ${line.written} hold`"
            @change="choose(line, ($event.target as HTMLSelectElement).value)"
          >
            <option value="">not settled</option>
            <option v-for="answer in answersOf(line)" :key="answer.key" :value="answer.key">
              {{ answer.label }}
            </option>
            <option v-if="channelsOf(line).length > 1" :value="BY_CHANNEL">by channel …</option>
          </select>
          <button
            v-if="line.asked && mayWork && answersOf(line).length"
            type="button"
            class="plain link"
            :disabled="busy"
            @click="decide(line, answersOf(line)[0]!.key)"
          >
            {{ answersOf(line)[0]!.label }}, as prepared
          </button>
          <span v-else-if="line.asked" class="look"><StateGlyph state="look" /> not settled</span>
          <span v-else>{{ held(line) || 'left out' }}</span>
          <span v-if="line.habit" class="soft">the house’s habit</span>
        </span>
        <span role="cell" class="soft">
          {{ looks(line) }}. {{ line.why }}
          <span v-if="line.outliers.length" class="unlike">
            ◆ unlike the rest:
            <span v-for="file in line.outliers" :key="file.id" class="mono outlier" :title="file.path">{{
              file.name
            }}</span>
          </span>
        </span>
        <span role="cell" class="samples">
          <img
            v-for="file in line.samples.slice(0, 6)"
            :key="file.id"
            width="36"
            height="36"
            loading="lazy"
            :alt="file.name"
            :title="file.path"
            :src="`/api/files/${file.id}/picture?view=RGB&size=small`"
          />
        </span>
        <ChannelsAnswer
          v-if="opened === line.ending && line.asked"
          class="by-channel"
          role="cell"
          :channels="channelsOf(line)"
          :file="line.samples[0]?.id ?? null"
          :act="`Take ${line.files === 1 ? 'it' : `all ${counted(line.files)}`} so`"
          :busy="busy"
          @answer="decide(line, null, $event)"
        />
      </div>
    </div>
    <p v-else-if="endings.data.value" class="soft none">
      No class of files shares an ending yet. When maps come, their endings stand here: how many files, over
      how many sets, and what they hold.
    </p>
  </section>
</template>

<style scoped>
.by-channel {
  grid-column: 1 / -1;
}
.titles,
.row {
  display: grid;
  grid-template-columns: minmax(96px, 0.8fr) 56px 56px minmax(132px, 1fr) minmax(0, 2.2fr) 232px;
  gap: 0 14px;
  padding: 0 8px;
}
@media (max-width: 860px) {
  .titles {
    display: none;
  }
  .row {
    grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  }
}
.titles {
  padding-bottom: 6px;
  border-bottom: 1px solid var(--ink);
}
.row {
  padding-top: 8px;
  padding-bottom: 8px;
  border-bottom: 1px solid var(--rule);
  align-items: start;
  border-left: 3px solid transparent;
  margin-left: -3px;
}
.row.asked {
  border-left-color: var(--ochre);
}
.ending {
  font-weight: 650;
  overflow-wrap: anywhere;
  line-height: 1.6;
}
.number {
  text-align: right;
  font-variant-numeric: tabular-nums;
}
.held {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 4px;
  justify-items: start;
}
select {
  width: 100%;
  min-width: 0;
  min-height: 28px;
  background: var(--sheet);
  color: var(--ink);
  border: 1px solid var(--ink);
  border-radius: 2px;
  font: inherit;
}
.look {
  color: var(--ochre);
}
.unlike {
  display: block;
  color: var(--ochre);
  overflow-wrap: anywhere;
}
.outlier {
  margin-right: 8px;
  font-size: 11px;
}
.samples {
  display: flex;
  gap: 3px;
  flex-wrap: wrap;
}
.samples img {
  object-fit: cover;
  background: var(--well);
}
.none {
  padding: 12px 8px;
}
</style>
