<script setup lang="ts">
// What was delivered, and what the receiving side answered.
import Button from 'primevue/button';
import Checkbox from 'primevue/checkbox';
import Select from 'primevue/select';
import { computed, ref, watch } from 'vue';
import { useRoute } from 'vue-router';

import { ApiError, type Board, type DeliveryLine } from '@/api/client';
import {
  isOpen,
  useBoard,
  useDeliver,
  useDeliveries,
  useJobControl,
  useLitPictures,
  useMayWork,
} from '@/api/queries';
import { useProjectTargets } from '@/api/targets';
import { useAsk } from '@/lib/page/ask';
import { useAddress } from '@/lib/page/address';
import { ALL } from '@/lib/pictures/targetshown';
import { bytesWords } from '@/lib/values/format';
import { useSay } from '@/lib/page/say';
import LitThumb from '@/parts/board/LitThumb.vue';
import Meter from '@/parts/widgets/Meter.vue';
import ReceiptView from '@/parts/deliveries/ReceiptView.vue';
import StateGlyph from '@/parts/widgets/StateGlyph.vue';
import Trouble from '@/parts/widgets/Trouble.vue';
import WholeName from '@/parts/widgets/WholeName.vue';
import { timeWords } from '@/lib/values/local';

type BoardSet = Board['sets'][number];
const route = useRoute();
const ask = useAsk();
const say = useSay();
const slug = computed(() => String(route.params.slug));
const board = useBoard(slug);
const deliveries = useDeliveries(slug);
const { deliver, again } = useDeliver(slug);
const { cancel } = useJobControl(slug);
const mayWork = useMayWork(slug);
const litPicture = useLitPictures(slug);
const target = useAddress('target', '');
const wanted = ref<number[]>([]);
/** Lit pictures above a delivery's names. */
const MOST_PICTURES = 12;
const chosen = useAddress('delivery', '');

const sets = computed(() => board.data.value?.sets ?? []);
const pins = useProjectTargets(slug);
/** What may be delivered for: each target of the project, and all that are for every set at once. */
const targets = computed(() => {
  const held = pins.data.value?.targets ?? [];
  const one = held.map(({ name, title }) => ({ value: name, text: title }));
  return held.filter(({ for_all }) => for_all).length > 1
    ? [...one, { value: ALL, text: 'All targets' }]
    : one;
});
const names = computed(() =>
  target.value === ALL
    ? (pins.data.value?.targets ?? []).filter(({ for_all }) => for_all).map(({ name }) => name)
    : [target.value],
);
const offered = computed(() =>
  sets.value.filter((set) => (target.value === ALL ? !set.own_target : made(set, target.value))),
);
function made(set: BoardSet, name: string): boolean {
  const pin = pins.data.value?.targets.find((target) => target.name === name);
  return set.own_target ? set.own_target === name : !!pin?.for_all;
}
const shown = computed<DeliveryLine | undefined>(
  () => deliveries.data.value?.find((delivery) => delivery.id === chosen.value) ?? deliveries.data.value?.[0],
);

watch(
  [sets, targets],
  ([now, known]) => {
    if (wanted.value.length || !now.length || !known.length) return;
    const asked = now.find((set) => String(set.id) === route.query.set);
    target.value = asked?.target_name ?? (target.value || (targets.value[0]?.value ?? ''));
    wanted.value = asked ? [asked.id] : offered.value.filter(proved).map((set) => set.id);
  },
  { immediate: true },
);
function proved(set: BoardSet): boolean {
  const cell = set.cells.proved;
  return cell?.state === 'holds' || cell?.state === 'look';
}
/** A set that is proved has figures even where a rule is broken; one that is not cannot be delivered. */
function ready(set: BoardSet): boolean {
  return set.proved;
}
/** Why a set cannot be delivered, in a few words. */
function whyNot(set: BoardSet): string {
  return set.cells.proved?.first.split(':')[0] || 'something stands in the way';
}
function chooseTarget(title: string): void {
  target.value = title;
  wanted.value = offered.value.filter(proved).map((set) => set.id);
}
/** While the board is looked at anew: a second press sends nothing a second time. */
const looking = ref(false);
async function start(): Promise<void> {
  if (looking.value) return;
  looking.value = true;
  // What was proved a moment ago may not have reached this page yet: nothing wrong goes out unasked.
  // The answer itself is looked at: the page's own copy of it may follow a moment later.
  const { data } = await board.refetch().finally(() => (looking.value = false));
  const now = new Map((data?.sets ?? sets.value).map((set) => [set.id, set]));
  const chosenSets = offered.value
    .map((set) => now.get(set.id) ?? set)
    .filter((set) => wanted.value.includes(set.id));
  const late = chosenSets.find((set) => !ready(set));
  if (late)
    return say.wrong(
      new ApiError(409, late.name, 'is not proved as it stands now.', 'Wait for its proof, or prove it.'),
    );
  const wrong = chosenSets.filter((set) => set.cells.proved?.state === 'wrong');
  const go = () =>
    deliver.mutate(
      { targets: names.value, sets: chosenSets.map((set) => set.id) },
      { onError: say.wrong, onSuccess: (made) => (chosen.value = made[0]?.id ?? '') },
    );
  if (!wrong.length) return go();
  const first = wrong[0]?.cells.proved?.first ?? '';
  ask(
    `Deliver with ${wrong.length === 1 ? 'an error' : 'errors'}?`,
    `${wrong[0]?.name}: ${first}`,
    'Deliver all the same',
    go,
  );
}
function standing(entry: DeliveryLine): 'holds' | 'look' | 'wrong' | 'none' {
  if (!entry.receipt) return entry.job?.state === 'failed' ? 'wrong' : 'none';
  if (!entry.receipt.holds) return 'wrong';
  return entry.receipt.findings.some((finding) => finding.severity === 'warning') ? 'look' : 'holds';
}
</script>

<template>
  <Trouble v-if="deliveries.isError.value" :error="deliveries.error.value" @again="deliveries.refetch()" />
  <main v-else class="page">
    <section v-keep-scroll class="left">
      <h1 v-term="'delivery'">Deliveries</h1>
      <form v-if="mayWork && sets.length" class="new" @submit.prevent="start">
        <div class="head">
          <h2>Deliver</h2>
          <Select
            :model-value="target"
            :options="targets"
            option-label="text"
            option-value="value"
            aria-label="Target of the delivery"
            @update:model-value="chooseTarget"
          />
          <Button
            type="submit"
            :label="`Deliver ${wanted.length} ${wanted.length === 1 ? 'set' : 'sets'}`"
            :disabled="!wanted.length || looking || deliver.isPending.value"
          />
        </div>
        <label v-for="set in offered" :key="set.id" class="set" :class="{ off: !ready(set) }">
          <Checkbox v-model="wanted" :value="set.id" :disabled="!ready(set)" :aria-label="set.name" />
          <LitThumb v-if="litPicture(set.id)" :edge="24" :src="litPicture(set.id)" />
          <span v-else />
          <WholeName class="name" :name="set.name" />
          <StateGlyph :state="ready(set) ? (set.cells.proved?.state ?? 'none') : 'none'" />
          <span class="soft">{{ ready(set) ? set.cells.dressed?.first : whyNot(set) }}</span>
          <RouterLink v-if="!ready(set)" class="link" :to="{ name: 'set', params: { slug, id: set.id } }"
            >Open</RouterLink
          >
        </label>
      </form>
      <div class="head part"><h2>Delivered</h2></div>
      <button
        v-for="delivery in deliveries.data.value ?? []"
        :key="delivery.id"
        class="plain delivery"
        :class="{ here: shown?.id === delivery.id }"
        @click="chosen = delivery.id"
      >
        <StateGlyph :state="standing(delivery)" />
        <span class="name">{{
          delivery.sets.length === 1 ? delivery.sets[0] : `${delivery.sets.length} sets`
        }}</span>
        <span class="soft">{{ delivery.target_title }}</span>
        <span class="mono soft">{{ timeWords(delivery.created) }}</span>
      </button>
      <p v-if="deliveries.data.value && !deliveries.data.value.length" class="soft none">
        Nothing was delivered yet. Prove a set, dress it, then deliver it here.
      </p>
    </section>
    <section class="right">
      <template v-if="shown">
        <header class="top">
          <div>
            <div class="pictures">
              <template v-for="name in shown.sets.slice(0, MOST_PICTURES)" :key="name">
                <LitThumb v-if="litPicture(name)" :edge="44" :src="litPicture(name)" :title="name" />
              </template>
            </div>
            <h2>{{ shown.sets.join(', ') }}</h2>
            <p class="soft">
              for {{ shown.target_title }}, by
              {{ shown.by + (shown.files ? `: ${shown.files} files, ${bytesWords(shown.bytes)}` : '') }}
            </p>
            <p v-if="shown.variants.length" class="soft">
              with {{ shown.variants.length === 1 ? 'the variant' : 'the variants' }}
              {{ shown.variants.join(', ')
              }}{{ shown.models.length ? `, on the model${shown.models.length === 1 ? '' : 's'} ` : ''
              }}{{ shown.models.join(', ') }}
            </p>
            <p v-if="shown.folder" class="mono soft folder">{{ shown.folder }}</p>
          </div>
          <div v-if="shown.files" class="acts">
            <a class="link" :href="`/api/deliveries/${shown.id}/zip`">Download the zip</a>
            <Button
              v-if="mayWork"
              label="Read it back again"
              severity="secondary"
              :disabled="isOpen(shown.job)"
              @click="again.mutate(shown.id, { onError: say.wrong })"
            />
          </div>
        </header>
        <div v-if="shown.job && isOpen(shown.job)" class="work" role="status">
          <span>{{ shown.job.title }}</span>
          <Meter :share="shown.job.progress" :label="shown.job.title" />
          <span class="mono soft">{{ shown.job.doing || 'waiting' }}</span>
          <button class="plain link" @click="cancel.mutate(shown.job.id, { onError: say.wrong })">
            Cancel
          </button>
        </div>
        <p v-else-if="shown.job?.state === 'failed'" class="wrong" role="alert">
          ✕ {{ shown.job.problem }} {{ shown.job.way_out }}
        </p>
        <p v-else-if="shown.job?.state === 'cancelled'" class="soft">
          It was cancelled; nothing was written.
        </p>
        <ReceiptView v-if="shown.receipt" :receipt="shown.receipt" />
      </template>
    </section>
  </main>
</template>

<style scoped>
.page {
  flex: 1;
  display: flex;
  min-width: 0;
}
.left {
  width: max(430px, 34%);
  flex: none;
  border-right: 1px solid var(--rule);
  padding: 18px 20px 40px;
  overflow: auto;
}
.right {
  flex: 1;
  min-width: 0;
  padding: 20px 20px 40px;
  overflow: auto;
}
.new {
  margin-top: 14px;
}
.new .head {
  align-items: center;
}
.set,
.delivery {
  display: grid;
  align-items: center;
  gap: 9px;
  min-height: 32px;
  border-bottom: 1px solid var(--rule);
  width: 100%;
}
.set {
  grid-template-columns: 20px 24px minmax(0, 1.6fr) 14px minmax(0, 1fr) auto;
  padding: 4px 0;
}
.set.off .name {
  color: var(--soft);
}

.new > .p-button {
  margin-top: 12px;
}
.name {
  font-weight: 600;
}
.part {
  margin-top: 30px;
}
.delivery {
  grid-template-columns: 16px 1fr auto auto;
  padding: 0 6px;
}
.delivery:hover {
  background: var(--wash);
}
.here {
  box-shadow: inset 2px 0 var(--madder);
}
.top {
  display: flex;
  justify-content: space-between;
  gap: 16px;
  align-items: flex-start;
  padding-bottom: 14px;
}
.top h2 {
  font-size: 16px;
}
.pictures {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  padding-bottom: 8px;
}
.folder {
  overflow-wrap: anywhere;
}
.acts {
  display: flex;
  gap: 16px;
  align-items: center;
  flex: none;
}
.work {
  display: flex;
  gap: 12px;
  align-items: center;
  padding-bottom: 12px;
}
.wrong {
  color: var(--madder);
  padding-bottom: 12px;
}
.none {
  padding: 10px 6px;
}
</style>
