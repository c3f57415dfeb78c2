<script setup lang="ts">
// A project's home: what keeps us from delivering? Rows are sets in their folders; what is chosen is worked on together.
import Button from 'primevue/button';
import { computed, ref, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';

import { useBulk, useMany } from '@/lib/page/many';
import { useBoard, useMayWork } from '@/api/queries';
import { useAddress } from '@/lib/page/address';
import { useAsk } from '@/lib/page/ask';
import { standingOf } from '@/parts/board/board';
import { useBoardLook, useFolded } from '@/parts/board/boardlook';
import { choose, inFolders, looked, type BoardFolder, type Line } from '@/parts/board/boardview';
import { bytesWords } from '@/lib/values/format';
import { useActions } from '@/lib/page/keys';
import BoardActs from '@/parts/board/BoardActs.vue';
import BoardFilters from '@/parts/board/BoardFilters.vue';
import BoardOpen from '@/parts/board/BoardOpen.vue';
import BoardTable from '@/parts/board/BoardTable.vue';
import BulkLine from '@/parts/board/BulkLine.vue';
import FirstSteps from '@/parts/board/FirstSteps.vue';
import NameDialog from '@/parts/widgets/NameDialog.vue';

const route = useRoute();
const router = useRouter();
const slug = computed(() => String(route.params.slug));
const board = useBoard(slug);
const mayWork = useMayWork(slug);
const ask = useAsk();
const many = useMany(slug);
const { look, set: narrow, all, narrowed, columns, flat, query, take } = useBoardLook(slug);
const { folded, fold } = useFolded(slug);

const sets = computed(() => board.data.value?.sets ?? []);
const counts = computed(() => {
  const found = { holds: 0, look: 0, wrong: 0 };
  for (const set of sets.value) found[standingOf(set)]++;
  return found;
});
const delivered = computed(() => sets.value.filter((set) => set.cells.delivered?.state === 'holds').length);
const unbuilt = computed(
  () =>
    sets.value.filter((set) => {
      const state = set.cells.built?.state;
      return state !== 'holds' && set.cells.packed?.state !== 'none' && standingOf(set) !== 'wrong';
    }).length,
);
const shown = computed(() => (board.data.value ? looked(board.data.value, look.value) : []));
const lines = computed<Line[]>(() => {
  if (flat.value) return shown.value.map((set) => ({ kind: 'set', set, depth: 0 }));
  // While something is looked for, no folder hides it.
  const closed = narrowed.value ? new Set<number>() : folded.value;
  return inFolders(shown.value, board.data.value?.folders ?? [], closed, !narrowed.value);
});

const chosen = ref<ReadonlySet<number>>(new Set());
let last: number | null = null;
watch(sets, (now) => {
  // What is gone is not chosen any more.
  const there = new Set(now.map((set) => set.id));
  if ([...chosen.value].some((id) => !there.has(id)))
    chosen.value = new Set([...chosen.value].filter((id) => there.has(id)));
});
const inOrder = computed(() => lines.value.flatMap((line) => (line.kind === 'set' ? [line.set.id] : [])));
const allChosen = computed<boolean | 'some'>(() => {
  const count = shown.value.filter((set) => chosen.value.has(set.id)).length;
  return count === 0 ? false : count === shown.value.length ? true : 'some';
});
function turn(id: number, range: boolean): void {
  chosen.value = choose(chosen.value, inOrder.value, id, last, range);
  last = id;
}
function chooseAll(on: boolean): void {
  const ids = shown.value.map((set) => set.id);
  chosen.value = on ? new Set([...chosen.value, ...ids]) : new Set();
}

const bulk = useAddress('bulk', 0);
const work = useBulk(bulk);
const DOING = { waiting: 'waits', running: 'at work', failed: '', skipped: '', done: '' } as const;
const working = computed(() => {
  const job = work.data.value?.job;
  const going = job?.state === 'running' || job?.state === 'queued';
  return new Map(
    (going ? (work.data.value?.items ?? []) : []).map((item) => [item.set_id, DOING[item.state]] as const),
  );
});
async function buildStale(): Promise<void> {
  const made = await many.begin('build', null);
  if (made) bulk.value = made.id;
}

function open(id: number): void {
  void router.push({ name: 'set', params: { slug: slug.value, id } });
}
const naming = ref<{ act: 'rename' | 'inside' | 'new'; folder: BoardFolder | null } | null>(null);
function onFolder(act: 'rename' | 'inside' | 'remove', folder: BoardFolder): void {
  if (act !== 'remove') naming.value = { act, folder };
  else
    ask(
      `Remove the folder ${folder.name}?`,
      'The sets and folders in it stay: they lie in the folder around it from then on. It can be undone.',
      'Remove',
      () => void many.removeFolder(folder.id, folder.name, folder.path),
    );
}
async function named(name: string): Promise<boolean> {
  const { act, folder } = naming.value ?? { act: 'new', folder: null };
  if (act === 'rename' && folder) return many.renameFolder(folder.id, name, folder.path);
  return many.makeFolder(name, act === 'inside' && folder ? folder.id : null);
}
useActions({
  buildStale: () => mayWork.value && void buildStale(),
  newFolder: () => {
    if (mayWork.value) naming.value = { act: 'new', folder: null };
  },
});
</script>

<template>
  <main v-if="board.data.value" class="board">
    <section class="main">
      <div class="top">
        <h1 v-term="'board'">What keeps us from delivering</h1>
        <p class="soft">
          {{ sets.length }} sets: {{ counts.holds }} hold, {{ counts.look }} to look at,
          {{ counts.wrong }} wrong; {{ delivered }} delivered<template v-if="board.data.value.memory"
            >; {{ bytesWords(board.data.value.memory) }} in the engine</template
          >
        </p>
        <span class="space" />
        <template v-if="mayWork && sets.length">
          <button class="plain link soft" @click="naming = { act: 'new', folder: null }">New folder</button>
          <Button
            v-if="unbuilt"
            :label="`Build what is not built (${unbuilt})`"
            severity="secondary"
            title="Every set that is not built as it is now, and can be"
            @click="buildStale"
          />
        </template>
      </div>
      <FirstSteps v-if="mayWork" :slug="slug" :board="board.data.value" />
      <template v-if="sets.length">
        <BulkLine
          v-if="bulk"
          :id="bulk"
          :slug="slug"
          :may-work="mayWork"
          @again="bulk = $event"
          @close="bulk = 0"
          @choose="chosen = new Set($event)"
        />
        <BoardActs
          v-if="chosen.size"
          :slug="slug"
          :board="board.data.value"
          :chosen="chosen"
          :busy="work.data.value?.job?.state === 'running'"
          @begun="((bulk = $event), (chosen = new Set()))"
          @clear="chosen = new Set()"
        />
        <BoardFilters
          v-else
          v-model:columns="columns"
          v-model:flat="flat"
          :slug="slug"
          :board="board.data.value"
          :look="look"
          :narrowed="narrowed"
          :shown="shown.length"
          :may-work="mayWork"
          :query="query"
          @look="narrow"
          @all="all"
          @take="take"
        />
        <BoardTable
          v-if="lines.length"
          :slug="slug"
          :board="board.data.value"
          :lines="lines"
          :columns="columns"
          :chosen="chosen"
          :may-work="mayWork"
          :all="allChosen"
          :working="working"
          @open="open"
          @choose="turn"
          @choose-all="chooseAll"
          @fold="fold"
          @drop="(what, folder) => many.drop(what, folder)"
          @folder="onFolder"
        />
        <p v-else class="soft none">
          No set fits that. <button class="plain link" @click="all">Show all {{ sets.length }}</button>
        </p>
      </template>
      <div v-else class="empty">
        <p>No set is here yet. Drop a folder of maps anywhere on this page, and they are sorted into sets.</p>
        <Button
          v-if="mayWork"
          label="Bring maps in"
          @click="router.push({ name: 'arrivals', params: { slug } })"
        />
      </div>
    </section>
    <BoardOpen :board="board.data.value" :slug="slug" @rule="(all(), narrow({ rule: $event }))" />
    <NameDialog
      v-if="naming"
      :title="
        naming.act === 'rename'
          ? `Rename the folder ${naming.folder?.name ?? ''}`
          : naming.folder
            ? `New folder in ${naming.folder.path}`
            : 'New folder'
      "
      :name="naming.act === 'rename' ? (naming.folder?.name ?? '') : ''"
      :act="naming.act === 'rename' ? 'Rename' : 'Make the folder'"
      :send="named"
      @close="naming = null"
    />
  </main>
</template>

<style scoped>
.board {
  flex: 1;
  display: flex;
  min-width: 0;
}
.main {
  flex: 1;
  min-width: 0;
  min-height: 0;
  padding: 22px 8px 0 20px;
  display: flex;
  flex-direction: column;
}
.top {
  display: flex;
  gap: 4px 14px;
  align-items: baseline;
  flex-wrap: wrap;
  margin-bottom: 16px;
  padding-right: 12px;
}
.space {
  flex: 1;
}
.none {
  padding: 18px 0;
}
.empty {
  display: grid;
  gap: 14px;
  justify-items: start;
  max-width: 420px;
}
@media (max-width: 860px) {
  .main {
    min-height: 60vh;
  }
}
</style>
