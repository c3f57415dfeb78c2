<script setup lang="ts">
// A block opened in place: the rows inside it, each with its picture, and what is done with the block.
import { innerName, newerOf, slotsOf, type Block, type StudioBlock } from './blocks';
import { inputWords, type Sheet, type Strand, type Words } from './sheet';

const props = defineProps<{
  sheet: Sheet;
  words: Words;
  strand: Strand;
  block: Block;
  studio: readonly StudioBlock[];
  kinds: Record<string, string>;
  pinned: string;
  editable: boolean;
  /** Whether a block may be kept for the studio: its leads may. */
  mayPublish: boolean;
  /** Where the small picture of a row lies. */
  tile: (name: string) => Record<string, string> | null;
}>();
const emit = defineEmits<{ pin: [name: string]; apart: []; keep: []; renew: [block: Block] }>();

const outside = (inner: string) => innerName(props.strand.name, inner);
const operation = (inner: Strand) =>
  props.words.operations.find(({ key }) => key === inner.operation)?.title ?? inner.operation;
const newer = () => newerOf(props.studio, props.block);
/** How many rows stand for it: what is changed in it changes for all of them. */
const uses = () => props.sheet.strands.filter(({ block }) => block === props.block.name).length;
</script>

<template>
  <div class="inside" role="group" :aria-label="`Inside ${strand.name}`">
    <p class="soft">
      {{
        block.version
          ? `The studio’s ${block.title}, version ${block.version}`
          : `${block.title}, a block of this master alone`
      }}, used {{ uses() === 1 ? 'once' : `${uses()} times` }} here. It gives
      <template v-for="(output, at) in block.outputs" :key="output"
        >{{ at ? ', ' : '' }}<span class="mono">{{ outside(output) }}</span></template
      >.
    </p>
    <p v-if="block.summary" class="soft">{{ block.summary }}</p>
    <div
      v-for="inner in block.strands"
      :key="inner.name"
      class="row"
      :class="{ pinned: pinned === outside(inner.name) }"
    >
      <button
        type="button"
        class="tile"
        :style="tile(outside(inner.name)) ?? {}"
        :aria-label="`Show ${outside(inner.name)} on the stage`"
        :aria-pressed="pinned === outside(inner.name)"
        tabindex="-1"
        @click="emit('pin', pinned === outside(inner.name) ? '' : outside(inner.name))"
      />
      <span class="mono">{{ inner.name }}</span>
      <span>{{ operation(inner) }}</span>
      <span class="soft">
        <template v-for="slot in slotsOf(sheet, words, inner)" :key="slot.name">
          <span class="faint">{{ slot.name.replaceAll('_', ' ') }}</span>
          <span class="mono given">{{ inputWords(inner.inputs[slot.name] ?? slot.default) }}</span>
        </template>
      </span>
      <span class="mono faint">{{ words.kinds[kinds[outside(inner.name)] ?? ''] ?? '' }}</span>
    </div>
    <p v-if="editable" class="acts">
      <button type="button" class="plain link" @click="emit('apart')">Take it apart</button>
      <button v-if="mayPublish" type="button" class="plain link" @click="emit('keep')">
        Keep it for the studio…
      </button>
      <button v-if="newer()" type="button" class="plain link newer" @click="emit('renew', newer()!.document)">
        ◆ Take version {{ newer()!.latest }}: {{ newer()!.versions[0]?.note }}
      </button>
    </p>
  </div>
</template>

<style scoped>
.inside {
  grid-column: 1 / -1;
  margin: 2px 0 8px 24px;
  padding-left: 10px;
  border-left: 1px solid var(--ink);
  font-size: 12px;
}
.row {
  display: grid;
  grid-template-columns: 26px minmax(90px, 130px) minmax(70px, 110px) 1fr 68px;
  gap: 2px 8px;
  align-items: center;
  min-height: 26px;
}
.row.pinned {
  background: color-mix(in srgb, var(--ochre) 12%, transparent);
}
.row > :last-child {
  text-align: right;
  font-size: 11px;
}
.tile {
  width: 24px;
  height: 24px;
  border: 0;
  padding: 0;
  background: var(--well) no-repeat;
  cursor: pointer;
  display: block;
}
.given {
  margin: 0 8px 0 4px;
}
.acts {
  display: flex;
  gap: 16px;
  padding: 4px 0;
}
.newer {
  color: var(--ochre);
}
</style>
