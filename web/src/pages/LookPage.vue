<script setup lang="ts">
// A set's pictures on the table: any map or output, alone or beside another, down to the texel, and lit.
import Select from 'primevue/select';
import { computed, nextTick, ref } from 'vue';
import { useRoute } from 'vue-router';

import { useMayWork, useSet } from '@/api/queries';
import { useAddress } from '@/lib/page/address';
import { PASS, useActions } from '@/lib/page/keys';
import type { Together } from '@/parts/look/painter';
import { keyOf, usePair } from '@/parts/look/pair';
import { VIEWS } from '@/lib/pictures/pictures';
import FigureList from '@/parts/widgets/FigureList.vue';
import HistogramPart from '@/parts/look/HistogramPart.vue';
import LitView from '@/parts/look/LitView.vue';
import PictureTable from '@/parts/look/PictureTable.vue';
import TexelReadout from '@/parts/look/TexelReadout.vue';
import TogetherStrip from '@/parts/look/TogetherStrip.vue';
import Trouble from '@/parts/widgets/Trouble.vue';
import ViewStrip from '@/parts/look/ViewStrip.vue';

const route = useRoute();
const slug = computed(() => String(route.params.slug));
const id = ref(Number(route.params.id));
const set = useSet(id);
const mayWork = useMayWork(slug);
/** Whether the lit shape has the place of the table. */
const large = useAddress('lit', false);
const table = ref<InstanceType<typeof PictureTable> | null>(null);
const pair = usePair(set.data);
const { a, b, view, look, subjects, others, first, second, firstFile, measured, views, shown, onTable } =
  pair;
/** Where the picture lies: empty where it is shown whole. */
const placement = useAddress('at', '');
const texel = ref<{ x: number; y: number; ofB: boolean } | null>(null);
const zoom = ref(1);

function together(now: Together): void {
  if (second.value) look.value.together = now;
}
function swap(): void {
  if (!second.value) return;
  look.value.together = look.value.together === 'b' ? 'a' : 'b';
}
function expose(by: number): void {
  look.value.exposure = Math.max(-8, Math.min(8, look.value.exposure + by));
}
async function seams(): Promise<void> {
  look.value.times = 2;
  await nextTick();
  table.value?.corner();
}
function times(): void {
  look.value.times = (look.value.times % 3) + 1;
}
useActions({
  swap,
  wipe: () => together('wipe'),
  difference: () => together('difference'),
  clipping: () => (look.value.clipping = !look.value.clipping),
  tiling: times,
  lit: () => (large.value = !large.value),
  back: () => (large.value ? ((large.value = false), true) : PASS),
  seams: () => void seams(),
  darker: () => expose(-0.5),
  lighter: () => expose(0.5),
  zoomIn: () => table.value?.zoom('in'),
  zoomOut: () => table.value?.zoom('out'),
  zoomFit: () => table.value?.zoom('fit'),
  zoomOne: () => table.value?.zoom('one'),
  ...Object.fromEntries(
    VIEWS.map((entry, index) => [
      `view${index + 1}`,
      () => views.value.includes(entry) && (view.value = entry),
    ]),
  ),
});
</script>

<template>
  <Trouble v-if="set.isError.value" :error="set.error.value" @again="set.refetch()" />
  <main v-else-if="set.data.value" class="page" :class="{ large }">
    <div v-show="!large" class="left">
      <header class="top">
        <h1>
          <RouterLink class="link" :to="{ name: 'set', params: { slug, id } }">{{
            set.data.value.name
          }}</RouterLink>
        </h1>
        <Select
          v-model="a"
          :options="subjects"
          option-label="label"
          option-value="key"
          aria-label="Picture A"
          filter
        />
        <span class="soft">and</span>
        <Select
          v-model="b"
          :options="others"
          option-label="label"
          option-value="key"
          placeholder="another, to compare"
          aria-label="Picture B"
          show-clear
          filter
        />
      </header>
      <TogetherStrip v-if="second" v-model:look="look" :first="first?.name ?? ''" :second="second.name" />
      <PictureTable
        v-if="first"
        ref="table"
        :first="first"
        :second="second"
        :view="shown"
        :look="look"
        :placement="placement"
        @place="placement = $event"
        @texel="texel = $event"
        @wipe="look.wipe = $event"
        @zoom="zoom = $event"
      />
      <p v-else class="soft none">This set has no pictures yet.</p>
      <ViewStrip
        v-model:look="look"
        :views="views"
        :shown="shown"
        :grey="!first?.channels.includes('R')"
        :zoom="zoom"
        @view="view = $event"
        @expose="expose"
        @seams="seams"
        @zoom="table?.zoom($event)"
      />
    </div>
    <aside class="side">
      <TexelReadout
        v-if="!large"
        :first="first"
        :second="second"
        :together="look.together"
        :texel="texel"
        :edit="set.data.value.edit"
      />
      <HistogramPart v-if="!large" :subject="onTable" :only="shown" />
      <LitView
        :set="set.data.value"
        :slug="slug"
        :may-work="mayWork"
        :large="large"
        @large="large = !large"
      />
      <FigureList
        v-if="!large && first && measured.data.value?.id === firstFile"
        class="figures"
        :file-id="first.id"
        :stamp="first.stamp"
        :figures="measured.data.value?.figures ?? []"
        :is-shown="(figure) => b === keyOf(figure)"
        @show="pair.lay"
      />
    </aside>
  </main>
</template>

<style scoped>
.page {
  flex: 1;
  min-width: 0;
  min-height: 0;
  display: flex;
}
.left {
  flex: 1;
  min-width: 0;
  display: flex;
  flex-direction: column;
}
.top {
  display: flex;
  gap: 10px;
  align-items: center;
  padding: 8px 14px;
}
h1 {
  font-size: 13px;
  letter-spacing: 0;
}
.top .p-select {
  width: 230px;
}
.side {
  width: var(--side);
  flex: none;
  border-left: 1px solid var(--rule);
  overflow: auto;
}
.figures {
  padding: 16px;
}
.large .side {
  flex: 1;
  width: auto;
  border-left: 0;
  display: flex;
  flex-direction: column;
}
.none {
  padding: 30px;
}
</style>
