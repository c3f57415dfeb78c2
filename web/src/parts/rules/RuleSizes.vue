<script setup lang="ts">
// How large maps may be, and how much memory sets and the project may take.

import type { HouseRules } from '@/api/arriving';

import NumberField from '@/parts/widgets/NumberField.vue';

const props = defineProps<{ draft: HouseRules; may: boolean }>();
// The largest edge that a rule may name, in texels.
const EDGE = 16384;
const emit = defineEmits<{ change: [change: Partial<HouseRules>] }>();
function putSize(change: Partial<HouseRules['sizes']>): void {
  emit('change', { sizes: { ...props.draft.sizes, ...change } });
}
</script>

<template>
  <section>
    <h2>Sizes and memory</h2>
    <div class="line">
      <span>Edges</span>
      <NumberField
        :model-value="draft.sizes.smallest"
        :low="1"
        :high="EDGE"
        whole
        label="Smallest edge"
        @update:model-value="putSize({ smallest: $event ?? 1 })"
      />
      <span class="soft">to</span>
      <NumberField
        :model-value="draft.sizes.largest"
        :low="1"
        :high="EDGE"
        whole
        label="Largest edge"
        @update:model-value="putSize({ largest: $event ?? 4096 })"
      />
      <label class="check">
        <input
          type="checkbox"
          :checked="draft.sizes.power_of_two"
          @change="putSize({ power_of_two: !draft.sizes.power_of_two })"
        />
        powers of two
      </label>
      <label class="check">
        <input
          type="checkbox"
          :checked="draft.sizes.square"
          @change="putSize({ square: !draft.sizes.square })"
        />
        square
      </label>
      <p v-if="draft.sizes.smallest > draft.sizes.largest" class="wrong" role="alert">
        ✕ The smallest edge, {{ draft.sizes.smallest }}, is above the largest, {{ draft.sizes.largest }}.
      </p>
    </div>
    <div class="line">
      <span>Memory</span>
      <NumberField
        :model-value="draft.sizes.set_budget ?? null"
        empty="no limit"
        unit="MB"
        unit-beside
        :low="0"
        :soft-high="256"
        label="Megabytes for a set"
        @update:model-value="putSize({ set_budget: $event || null })"
      />
      <span class="soft">MB for a set,</span>
      <NumberField
        :model-value="draft.sizes.project_budget ?? null"
        empty="no limit"
        unit="MB"
        unit-beside
        :low="0"
        :soft-high="8192"
        label="Megabytes for the project"
        @update:model-value="putSize({ project_budget: $event || null })"
      />
      <span class="soft">MB for the project, as the engine stores them</span>
    </div>
  </section>
</template>

<style scoped>
.wrong {
  color: var(--madder);
}
</style>
