<script setup lang="ts">
// How large maps may be, and how much memory sets and the project may take.
import InputNumber from 'primevue/inputnumber';

import type { HouseRules } from '@/api/arriving';

const props = defineProps<{ draft: HouseRules; may: boolean }>();
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
      <InputNumber
        :model-value="draft.sizes.smallest"
        :min="1"
        :use-grouping="false"
        aria-label="Smallest edge"
        @update:model-value="putSize({ smallest: $event ?? 1 })"
      />
      <span class="soft">to</span>
      <InputNumber
        :model-value="draft.sizes.largest"
        :min="1"
        :use-grouping="false"
        aria-label="Largest edge"
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
    </div>
    <div class="line">
      <span>Memory</span>
      <InputNumber
        :model-value="draft.sizes.set_budget ?? null"
        placeholder="no limit"
        :max-fraction-digits="1"
        aria-label="Megabytes for a set"
        @update:model-value="putSize({ set_budget: $event || null })"
      />
      <span class="soft">MB for a set,</span>
      <InputNumber
        :model-value="draft.sizes.project_budget ?? null"
        placeholder="no limit"
        :max-fraction-digits="1"
        aria-label="Megabytes for the project"
        @update:model-value="putSize({ project_budget: $event || null })"
      />
      <span class="soft">MB for the project, as the engine stores them</span>
    </div>
  </section>
</template>
