<script setup lang="ts">
// The parameters of a published master, to be read: what each stands at, and where it may go. They are written in its draft.
import { computed } from 'vue';

import type { Parameter } from '@/api/client';
import { hexOf, type Linear } from '@/lib/values/colours';
import { rounded } from '@/lib/values/numbers';
import { grouped } from '@/lib/values/variants';

const props = defineProps<{ parameters: readonly Parameter[] }>();
/** The parameter that is lit up, wherever it stands on the page. */
const lit = defineModel<string | null>('lit', { required: true });
/** The parameter of which all is said. */
const opened = defineModel<string>('opened', { required: true });
const groups = computed(() => grouped(props.parameters));

function stands(parameter: Parameter): string {
  const value = parameter.default;
  if (typeof value === 'boolean') return value ? 'on' : 'off';
  if (Array.isArray(value)) return value.map(rounded).join(', ');
  return typeof value === 'number' ? `${rounded(value)}${parameter.unit}` : value;
}
function range(low: number | null | undefined, high: number | null | undefined, unit: string): string {
  if (low == null && high == null) return 'any number';
  if (low == null || high == null)
    return low == null ? `up to ${rounded(high ?? 0)}${unit}` : `from ${rounded(low)}${unit}`;
  return `${rounded(low)} to ${rounded(high)}${unit}`;
}
const hasRange = ({ kind }: Parameter) => ['number', 'two', 'three', 'four'].includes(kind);
</script>

<template>
  <section v-for="group in groups" :key="group.group" class="group">
    <h3 class="soft">{{ group.group }}</h3>
    <div
      v-for="parameter in group.parameters"
      :key="parameter.name"
      class="parameter"
      :class="{ lit: lit === parameter.name }"
      :data-parameter="parameter.name"
      @mouseenter="lit = parameter.name"
      @mouseleave="lit = null"
    >
      <button
        type="button"
        class="plain"
        :aria-expanded="opened === parameter.name"
        @click="opened = opened === parameter.name ? '' : parameter.name"
      >
        {{ parameter.label }}
      </button>
      <span v-if="parameter.kind === 'colour'" class="mono value">
        <span
          class="swatch"
          :style="{ background: hexOf(parameter.default as unknown as Linear) }"
          aria-hidden="true"
        />{{ hexOf(parameter.default as unknown as Linear) }}
      </span>
      <span v-else class="mono value">{{ stands(parameter) }}</span>
      <span class="soft range">{{
        hasRange(parameter) ? range(parameter.soft_low, parameter.soft_high, parameter.unit) : ''
      }}</span>
      <div v-if="opened === parameter.name" class="more soft">
        <p v-if="parameter.help">{{ parameter.help }}</p>
        <p v-if="hasRange(parameter)">
          Values may be {{ range(parameter.hard_low, parameter.hard_high, parameter.unit) }}; the slider goes
          from {{ range(parameter.soft_low, parameter.soft_high, parameter.unit) }}.
        </p>
        <p v-if="parameter.choices.length">One of {{ parameter.choices.join(', ') }}.</p>
        <p v-if="parameter.only_with">
          It counts while {{ parameter.only_with }} is {{ parameter.only_at || 'on' }}.
        </p>
        <p v-if="parameter.structural">It changes the shader: each such switch doubles what is compiled.</p>
      </div>
    </div>
  </section>
</template>

<style scoped>
.group {
  padding: 7px 0;
  border-bottom: 1px solid var(--rule);
}
h3 {
  font-size: 12px;
  font-weight: 500;
}
.parameter {
  display: grid;
  grid-template-columns: 1fr auto 92px;
  gap: 0 10px;
  align-items: center;
  min-height: 27px;
  padding: 0 4px;
}
.parameter.lit {
  background: var(--wash);
}
.plain {
  text-align: left;
}
.value {
  display: flex;
  align-items: center;
  gap: 6px;
}
.range {
  text-align: right;
}
.swatch {
  width: 22px;
  height: 14px;
}
.more {
  grid-column: 1 / -1;
  padding: 2px 0 8px;
  font-size: 12px;
}
</style>
