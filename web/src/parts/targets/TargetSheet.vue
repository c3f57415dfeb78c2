<script setup lang="ts">
// A target as what it is: a row for each output, its channels as cells, shown on a set of the project while it is written.
import Button from 'primevue/button';
import InputText from 'primevue/inputtext';
import { computed, nextTick, ref, useTemplateRef } from 'vue';

import type {
  DraftTried,
  TargetChannel,
  TargetDocument,
  TargetOutput,
  TargetProblem,
  Vocabulary,
} from '@/api/targets';
import { copied } from './targetdraft';
import { blankOutput, holding, problemsAt } from './targetwords';

import PickOne from '@/parts/widgets/PickOne.vue';
import StateGlyph from '@/parts/widgets/StateGlyph.vue';
import TargetCell from './TargetCell.vue';
import TargetRow from './TargetRow.vue';
import TargetSettings from './TargetSettings.vue';

const props = defineProps<{
  document: TargetDocument;
  problems: TargetProblem[];
  tried: DraftTried | null;
  set: number | null;
  words: Vocabulary | undefined;
  masks: string[];
  editable: boolean;
}>();
const emit = defineEmits<{ change: [how: (draft: TargetDocument) => void] }>();
const rows = useTemplateRef<InstanceType<typeof TargetRow>[]>('rows');
/** The cell that is open: its output and channel; the channel is −1 where the output's settings are. */
const open = ref<{ place: number; at: number } | null>(null);
const heads = computed(() =>
  props.problems.filter(({ place }) => place[0] !== 'outputs' || place.length < 2),
);

/** What materials take beyond the basics: everything where the document says nothing of it. */
const taken = computed(() => {
  const all = Object.keys(props.words?.extensions ?? {});
  const said = props.document.material_extensions as readonly string[] | null | undefined;
  return said ? all.filter((key) => said.includes(key)) : all;
});
function takes(key: string): void {
  const all = Object.keys(props.words?.extensions ?? {});
  const next = all.filter((entry) => taken.value.includes(entry) !== (entry === key));
  emit('change', (draft) => {
    draft.material_extensions = (
      next.length === all.length ? null : next
    ) as typeof draft.material_extensions;
  });
}
function change(place: number, how: (output: TargetOutput) => void): void {
  emit('change', (draft) => {
    const output = draft.outputs[place];
    if (output) how(output);
  });
}
function setChannels(place: number, channels: TargetChannel[]): void {
  change(place, (output) => holding(output, copied(channels), props.words));
}
function setChannel(place: number, at: number, how: Partial<TargetChannel>): void {
  change(place, (output) => {
    const channels = output.channels.map((channel, index) =>
      index === at ? { ...channel, ...how } : channel,
    );
    holding(output, channels, props.words);
  });
}
function toggle(place: number, at: number): void {
  const same = open.value?.place === place && open.value.at === at;
  open.value = same ? null : { place, at };
}
function add(): void {
  const place = props.document.outputs.length;
  emit('change', (draft) => draft.outputs.push(blankOutput(draft.outputs)));
  open.value = null;
  void nextTick(() => rows.value?.[place]?.focusCell(0));
}
function act(place: number, what: 'up' | 'down' | 'copy' | 'remove'): void {
  emit('change', (draft) => {
    const output = draft.outputs[place];
    if (!output) return;
    if (what === 'remove') draft.outputs.splice(place, 1);
    else if (what === 'copy') {
      const { key, suffix } = blankOutput(draft.outputs);
      draft.outputs.splice(place + 1, 0, { ...copied(output), key, suffix, title: `${output.title}, copy` });
    } else {
      draft.outputs.splice(place, 1);
      draft.outputs.splice(place + (what === 'up' ? -1 : 1), 0, output);
    }
  });
  if (what === 'remove') open.value = null;
  else if (open.value) open.value.place = place + { up: -1, down: 1, copy: 1 }[what];
}
function move(place: number, by: number, at: number): void {
  const next = props.document.outputs[place + by];
  if (next) rows.value?.[place + by]?.focusCell(Math.min(at, next.channels.length - 1));
}
function drag(event: DragEvent, key: string): void {
  event.dataTransfer?.setData('text/fair-texel-property', key);
  if (event.dataTransfer) event.dataTransfer.effectAllowed = 'copy';
}
</script>

<template>
  <section class="sheet" aria-label="Target">
    <div v-if="editable" class="top">
      <label
        >Title
        <InputText
          :model-value="document.title"
          aria-label="Title of the target"
          maxlength="80"
          @change="emit('change', (draft) => (draft.title = ($event.target as HTMLInputElement).value))"
        />
      </label>
      <label
        >Normals
        <PickOne
          label="Normals point"
          :choices="[
            { value: '+Y', text: '+Y up' },
            { value: '-Y', text: '−Y down' },
          ]"
          :model-value="document.normal_y"
          @update:model-value="emit('change', (draft) => (draft.normal_y = $event ?? '+Y'))"
        />
      </label>
      <label
        >File names
        <InputText
          class="mono names"
          :model-value="document.name_template"
          aria-label="Template of file names"
          title="Tokens: {project}, {set}, {suffix}"
          spellcheck="false"
          @change="
            emit(
              'change',
              (draft) => (draft.name_template = ($event.target as HTMLInputElement).value.trim()),
            )
          "
        />
      </label>
      <label
        >Folder
        <InputText
          class="mono folder"
          :model-value="document.folder_template"
          aria-label="Template of the folder in a delivery"
          title="Tokens: {project}, {set}, {target}"
          spellcheck="false"
          @change="
            emit(
              'change',
              (draft) => (draft.folder_template = ($event.target as HTMLInputElement).value.trim()),
            )
          "
        />
      </label>
      <label class="wide"
        >When to take it
        <InputText
          class="summary"
          :model-value="document.summary"
          aria-label="When to take it"
          maxlength="400"
          @change="emit('change', (draft) => (draft.summary = ($event.target as HTMLInputElement).value))"
        />
      </label>
      <fieldset v-if="words" class="wide" aria-label="What materials take beyond the basics">
        <span>Materials take beyond the basics</span>
        <label v-for="(title, key) in words.extensions" :key="key">
          <input type="checkbox" :checked="taken.includes(key)" @change="takes(key)" />
          {{ title.toLowerCase() }}
        </label>
      </fieldset>
    </div>
    <p v-else class="told">
      <span>Normals {{ document.normal_y === '+Y' ? '+Y, up' : '−Y, down' }}</span>
      <span
        >files <span class="mono">{{ document.name_template }}</span></span
      >
      <span
        >in <span class="mono">{{ document.folder_template }}</span></span
      >
      <span v-if="words && document.material_extensions"
        >materials take
        {{ taken.map((key) => words!.extensions[key]?.toLowerCase()).join(', ') || 'the basics alone' }}</span
      >
    </p>
    <p v-for="problem in heads" :key="problem.message" class="wrongly" role="alert">
      <StateGlyph state="wrong" /> {{ problem.message }}
    </p>
    <div v-if="editable && words" class="palette" aria-label="Properties to drag into channels">
      <span class="soft">Drag, or type into a cell:</span>
      <button
        v-for="word in words.properties"
        :key="word.key"
        class="plain word"
        draggable="true"
        tabindex="-1"
        @dragstart="drag($event, word.key)"
      >
        {{ word.title.toLowerCase() }} <b v-if="word.letter" class="mono">{{ word.letter }}</b>
      </button>
      <span class="soft hint"
        ><span class="mono">1-r</span> one minus roughness · <span class="mono">n.x</span> one component ·
        <span class="mono">0.5</span> a constant</span
      >
    </div>
    <TargetRow
      v-for="(output, place) in document.outputs"
      :key="place"
      ref="rows"
      :document="document"
      :place="place"
      :set="set"
      :tried="tried?.outputs.find((entry) => entry.place === place)"
      :problems="problems"
      :words="words"
      :editable="editable"
      :cell="open?.place === place ? open.at : -1"
      :open="open?.place === place && open.at === -1"
      @channels="setChannels(place, $event)"
      @cell="editable && toggle(place, $event)"
      @settings="editable && toggle(place, -1)"
      @move="(by, at) => move(place, by, at)"
    >
      <template v-if="editable && words && open?.place === place">
        <TargetSettings
          v-if="open.at === -1"
          :output="output"
          :words="words"
          :first="place === 0"
          :last="place === document.outputs.length - 1"
          @change="(how) => change(place, (held) => Object.assign(held, how))"
          @act="act(place, $event)"
        />
        <TargetCell
          v-else-if="output.channels[open.at]"
          :entry="output.channels[open.at]!"
          :words="words"
          :masks="masks"
          @change="setChannel(place, open.at, $event)"
          @close="open = null"
        />
      </template>
    </TargetRow>
    <div v-if="!document.outputs.length" class="empty">
      <p>No outputs yet. An output is one texture that the engine reads.</p>
    </div>
    <div v-if="editable" class="foot">
      <Button
        label="Add an output"
        severity="secondary"
        :disabled="document.outputs.length >= (words?.most_outputs ?? 64)"
        @click="add"
      />
      <span v-if="problemsAt(problems, []).length" class="wrongly"
        >{{ problems.length }} {{ problems.length === 1 ? 'mistake' : 'mistakes' }} to correct before it is
        published</span
      >
    </div>
  </section>
</template>

<style scoped>
.sheet {
  min-width: 0;
}
.top {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 16px;
  padding: 10px 0;
  border-bottom: 1px solid var(--rule);
}
.top label {
  display: flex;
  align-items: center;
  gap: 8px;
  color: var(--soft);
}
fieldset {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 16px;
  margin: 0;
  padding: 0;
  border: none;
  color: var(--soft);
}
.names {
  width: 178px;
}
.folder {
  width: 138px;
}
.wide {
  flex: 1 1 100%;
}
.summary {
  flex: 1;
}
.told {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 22px;
  padding: 8px 0;
  border-bottom: 1px solid var(--rule);
  color: var(--soft);
}
.palette {
  position: sticky;
  top: 0;
  z-index: 3;
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px 10px;
  padding: 7px 0;
  background: var(--paper);
  border-bottom: 1px solid var(--rule);
}
.word {
  padding: 1px 7px;
  border: 1px solid color-mix(in srgb, var(--ink) 26%, transparent);
  border-radius: 2px;
  cursor: grab;
}
.word:hover {
  background: var(--wash);
}
.word b {
  color: var(--faint);
  font-weight: 600;
}
.hint {
  font-size: 12px;
}
.wrongly {
  color: var(--madder);
}
.empty {
  padding: 34px 8px 10px;
  color: var(--soft);
}
.foot {
  display: flex;
  align-items: center;
  gap: 18px;
  padding: 14px 0;
}
</style>
