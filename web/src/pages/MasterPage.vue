<script setup lang="ts">
// A published master's sheet, to be read: strands as rows, chips instead of wires; its parameters beside it. The next version is
// written in a draft.
import { useQueryClient } from '@tanstack/vue-query';
import Button from 'primevue/button';
import Select from 'primevue/select';
import { computed, ref } from 'vue';
import { useRoute, useRouter } from 'vue-router';

import { api, take } from '@/api/client';
import { useMaster } from '@/api/queries';
import { useAddress } from '@/lib/page/address';
import { useSay } from '@/lib/page/say';
import MasterEnd from '@/parts/masters/MasterEnd.vue';
import MasterParameters from '@/parts/masters/MasterParameters.vue';
import NameDialog from '@/parts/widgets/NameDialog.vue';
import Trouble from '@/parts/widgets/Trouble.vue';
import { dayWords } from '@/lib/values/local';

const route = useRoute();
const router = useRouter();
const say = useSay();
const cache = useQueryClient();
const slug = computed(() => String(route.params.slug));
const name = computed(() => String(route.params.name));
const asked = useAddress('version', 0);
const version = computed({
  get: () => asked.value || null,
  set: (to) => (asked.value = to ?? 0),
});
const master = useMaster(name, version);
const view = computed(() => master.data.value);

const lit = ref<string | null>(null);
/** The parameter of which all is said. */
const opened = useAddress('parameter', '');
/** What one strand costs, in words. */
function costOf(strand: string): string {
  const cost = view.value?.cost.strands.find((entry) => entry.strand === strand);
  if (!cost?.used) return 'Nothing uses it: it costs nothing.';
  const reads = cost.reads ? `${cost.reads} texture read, ` : '';
  return `${reads}${cost.arithmetic} ${cost.arithmetic === 1 ? 'step' : 'steps'} of arithmetic`;
}
const sheet = computed(() => {
  const found = new Map<string, NonNullable<typeof view.value>['strands']>();
  for (const strand of view.value?.strands ?? []) {
    found.set(strand.group, [...(found.get(strand.group) ?? []), strand]);
  }
  return [...found];
});
const copying = ref(false);
/** Write the next version: in the draft that is there, or in a new one. */
function write(): void {
  take(api.POST('/api/masters/{name}/draft', { params: { path: { name: name.value } } }))
    .then((made) => {
      cache.setQueryData(['master', name.value, null], made);
      return router.push({ name: 'sheet', params: { slug: slug.value, name: name.value } });
    })
    .catch(say.wrong);
}
async function copy(title: string): Promise<boolean> {
  try {
    const made = await take(
      api.POST('/api/masters', { body: { title, copy_of: `${name.value}@${view.value?.version}` } }),
    );
    void cache.invalidateQueries({ queryKey: ['masters'] });
    await router.push({ name: 'sheet', params: { slug: slug.value, name: made.name } });
    return true;
  } catch (error) {
    say.wrong(error);
    return false;
  }
}
const behind = computed(
  () => view.value?.variants.filter((variant) => variant.version < variant.latest).length ?? 0,
);
</script>

<template>
  <Trouble v-if="master.isError.value && !view" :error="master.error.value" @again="master.refetch()" />
  <main v-else-if="view" class="master">
    <section v-keep-scroll class="sheet">
      <header class="top">
        <h1>{{ view.title }}</h1>
        <Select
          :model-value="view.version"
          :options="view.versions"
          option-value="number"
          :option-label="(entry: { number: number }) => `v${entry.number}`"
          aria-label="Version"
          @update:model-value="(number: number) => (version = number)"
        />
        <span class="space" />
        <Button
          v-if="view.may_draft"
          :label="view.draft ? 'Go on writing' : 'Write the next version'"
          severity="secondary"
          @click="write"
        />
        <Button
          v-if="view.may_draft && view.version"
          label="Copy…"
          severity="secondary"
          @click="copying = true"
        />
      </header>
      <p v-if="view.cost.unused.length" class="unused" role="status">
        ◆ Nothing uses {{ view.cost.unused.join(', ') }}. Take
        {{ view.cost.unused.length === 1 ? 'it' : 'them' }} out, or let something read
        {{ view.cost.unused.length === 1 ? 'it' : 'them' }}.
      </p>
      <p class="soft">{{ view.summary }}</p>
      <p class="figures">
        <span class="soft">
          {{ view.variants.length }} {{ view.variants.length === 1 ? 'variant' : 'variants'
          }}{{ behind ? `, ${behind} behind` : '' }}
        </span>
        <span
          class="mono soft count"
          title="At each place: what a GPU reads, and how many steps of arithmetic are written. The MB are those of the textures that are bound, at 2048 × 2048 texels each with their mips. Counted from the sheet, not measured."
          >{{ view.cost.reads }} reads · {{ view.cost.samplers }} of {{ view.cost.most }} samplers ·
          {{ view.cost.megabytes }} MB · {{ view.cost.arithmetic }} steps ·
          <span v-term="'strand'">{{ view.strands.length }} strands</span></span
        >
        <span class="soft" title="Of all targets that are offered, the one where it costs most."
          >for {{ view.cost_for }}, where it costs most</span
        >
      </p>
      <div v-rove class="strands">
        <section v-for="[group, strands] in sheet" :key="group">
          <h2 class="soft">{{ group }}</h2>
          <div role="table" :aria-label="`Strands: ${group}`">
            <div
              v-for="strand in strands"
              :key="strand.name"
              class="strand"
              data-rove
              :class="{ lit: lit === strand.name }"
              role="row"
              :data-strand="strand.name"
              @focus="lit = strand.name"
              @blur="lit = null"
            >
              <span class="mono name" role="cell">{{ strand.name }}</span>
              <span v-tooltip.top="strand.meaning" role="cell">{{ strand.operation }}</span>
              <span class="chips" role="cell">
                <span
                  v-for="input in strand.inputs"
                  :key="input.slot"
                  class="chip mono"
                  :class="[`of-${input.refers}`, { lit: lit === input.label }]"
                  :title="input.slot"
                  @mouseenter="lit = input.label"
                  @mouseleave="lit = null"
                  >{{ input.label }}</span
                >
              </span>
              <span class="mono faint gives" role="cell" :title="costOf(strand.name)">{{
                strand.gives
              }}</span>
            </div>
          </div>
        </section>
        <h2 class="soft">surface</h2>
        <div role="table" aria-label="Surface">
          <div
            v-for="line in view.surface"
            :key="line.property"
            class="strand"
            role="row"
            data-rove
            @focus="lit = line.strand"
            @blur="lit = null"
          >
            <span class="name" role="cell">{{ line.title }}</span>
            <span role="cell" />
            <span class="chips" role="cell">
              <span class="chip mono of-strand" @mouseenter="lit = line.strand" @mouseleave="lit = null">{{
                line.strand
              }}</span>
            </span>
            <span role="cell" />
          </div>
        </div>
        <h2 class="soft">textures</h2>
        <div role="table" aria-label="Textures">
          <div
            v-for="texture in view.textures"
            :key="texture.name"
            class="strand"
            :class="{ lit: lit === texture.name }"
            role="row"
            data-rove
            @focus="lit = texture.name"
            @blur="lit = null"
          >
            <span class="mono name" role="cell">{{ texture.name }}</span>
            <span role="cell">{{ texture.property }}</span>
            <span class="chips" role="cell">
              <template v-for="(place, target) in texture.places" :key="target">
                <span v-if="place" class="chip mono of-texture" :title="String(target)">{{ place }}</span>
              </template>
            </span>
            <span role="cell" />
          </div>
        </div>
      </div>
    </section>

    <aside v-keep-scroll class="side">
      <div class="head">
        <h2>Parameters</h2>
        <span class="soft">default, slider from and to</span>
      </div>
      <MasterParameters v-model:lit="lit" v-model:opened="opened" :parameters="view.parameters" />
      <div class="head part">
        <h2>Where used</h2>
        <span class="soft">{{
          view.hidden_variants ? `${view.hidden_variants} in projects of others` : ''
        }}</span>
      </div>
      <RouterLink
        v-for="variant in view.variants"
        :key="variant.id"
        class="used"
        :to="{ name: 'variant', params: { slug: variant.project, id: variant.id } }"
      >
        <span class="lit-name">
          <img
            class="thumb"
            width="36"
            height="36"
            alt=""
            loading="lazy"
            :src="`/api/variants/${variant.id}/lit`"
          />
          <span
            ><strong>{{ variant.name }}</strong> <span class="soft">{{ variant.project_title }}</span></span
          >
        </span>
        <span :class="{ behind: variant.version < variant.latest }"
          >{{ variant.version < variant.latest ? '◆ ' : '' }}v{{ variant.version }}</span
        >
      </RouterLink>
      <p v-if="!view.variants.length" class="soft used">No variant uses it yet.</p>
      <div class="head part"><h2>Versions</h2></div>
      <div v-for="published in view.versions" :key="published.number" class="used">
        <span>
          <strong>v{{ published.number }}</strong> {{ published.note }}
        </span>
        <span class="soft">{{ published.by }} {{ dayWords(published.published) }}</span>
      </div>
      <MasterEnd :master="view" :slug="slug" />
    </aside>
    <NameDialog
      v-if="copying"
      title="A master of its own"
      :name="''"
      act="Copy and write"
      :send="copy"
      @close="copying = false"
    />
  </main>
</template>

<style scoped>
.unused {
  color: var(--ochre);
  padding: 4px 0;
}
.master {
  flex: 1;
  display: flex;
  min-width: 0;
}
.sheet {
  flex: 1;
  min-width: 0;
  padding: 16px 20px 40px;
  overflow: auto;
}
.top {
  display: flex;
  gap: 14px;
  align-items: center;
}
.top :deep(.p-button) {
  white-space: nowrap;
  flex: none;
}
.space {
  flex: 1;
}
.figures {
  align-items: baseline;
  display: flex;
  /* What does not fit goes below whole, and no figure is broken in two. */
  flex-wrap: wrap;
  gap: 2px 18px;
  padding-top: 6px;
}
.strands h2 {
  font-weight: 500;
  padding: 15px 0 5px;
  border-bottom: 1px solid var(--ink);
}
.strand {
  display: grid;
  grid-template-columns: 156px 100px 1fr 66px;
  align-items: center;
  min-height: 29px;
  padding: 2px 6px;
  border-bottom: 1px solid var(--rule);
}
.strand.lit {
  background: var(--wash);
  box-shadow: inset 2px 0 var(--ink);
}
.name {
  font-weight: 550;
}
.chips {
  display: flex;
  flex-wrap: wrap;
  gap: 5px;
}
.chip {
  padding: 1px 6px;
  border: 1px solid color-mix(in srgb, var(--ink) 30%, transparent);
  cursor: default;
}
.of-parameter {
  border-color: transparent;
  background: color-mix(in srgb, var(--madder) 16%, transparent);
}
.of-texture {
  border-color: transparent;
  background: color-mix(in srgb, var(--verdigris) 20%, transparent);
}
.of-value,
.of-uv {
  border-style: dotted;
  color: var(--soft);
}
.chip.lit {
  background: var(--ink);
  color: var(--paper);
}
.gives {
  text-align: right;
}
.side {
  width: var(--side);
  flex: none;
  border-left: 1px solid var(--rule);
  padding: 18px 16px 40px;
  overflow: auto;
}
.part {
  margin-top: 24px;
}
.used {
  display: flex;
  justify-content: space-between;
  gap: 12px;
  min-height: 30px;
  align-items: center;
  border-bottom: 1px solid var(--rule);
}
.behind {
  color: var(--ochre);
}
</style>
