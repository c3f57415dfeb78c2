<script setup lang="ts">
// What the dock answered: findings first, then every property against the canonical surface, then what it read.
import { computed } from 'vue';

import type { DeliveryLine } from '@/api/client';

import StateGlyph from '@/parts/widgets/StateGlyph.vue';
import { fixed } from '@/lib/values/local';

const props = defineProps<{ receipt: NonNullable<DeliveryLine['receipt']> }>();
const UNIT_WORDS: Record<string, string> = { levels: 'of 255' };
const STATE = { error: 'wrong', warning: 'look', note: 'note' } as const;
const sets = computed(() => {
  const found = new Map<string, (typeof props.receipt.properties)[number][]>();
  for (const property of props.receipt.properties)
    found.set(property.set, [...(found.get(property.set) ?? []), property]);
  return [...found];
});
const misread = computed(() => props.receipt.properties.some(({ reading }) => reading));
/** Every level was held against its base: all of them, or the one that is wrong. */
function levelsOf(set: string, output: string) {
  return (props.receipt.levels ?? []).filter((level) => level.set === set && level.output === output);
}
function levelState(set: string, output: string): 'holds' | 'wrong' {
  return levelsOf(set, output).every(({ holds }) => holds) ? 'holds' : 'wrong';
}
function levelWords(set: string, output: string): string {
  return levelsOf(set, output)
    .map(
      ({ level, width, height, mean, expected }) =>
        `mip ${level} (${width} × ${height}): mean error against the average of its base ${fixed(mean, 2)} of 255, expected ${fixed(expected, 2)}`,
    )
    .join('\n');
}
/** A property as it is said: “mask.dirt” is a mask, “base_colour.1002” and the first mask “mask..1002” are of a tile. */
function words(property: string): string {
  const [, of = property, tile] = /^mask\.\d{4}$/.test(property)
    ? []
    : (/^(.+?)\.{1,2}(\d{4})$/.exec(property) ?? []);
  const said = of.replaceAll('_', ' ').replace('mask.', 'mask ');
  return tile ? `${said}, tile ${tile}` : said;
}
</script>

<template>
  <section class="receipt" aria-label="Receipt">
    <div class="head">
      <h2>Receipt</h2>
      <span :class="receipt.holds ? 'good' : 'bad'">
        {{ receipt.holds ? '✓ read as it was meant' : '✕ would not have been read as it was meant' }}
      </span>
    </div>
    <div v-for="(finding, index) in receipt.findings" :key="index" class="finding">
      <StateGlyph :state="STATE[finding.severity]" />
      <div>
        <strong>{{ finding.subject }}</strong> {{ finding.message }}
        <div class="soft">{{ finding.way_out }}</div>
      </div>
    </div>
    <p class="soft about">
      Mean and worst: how far what the dock read lies from the sources, at some hundred points of each set.
      Expected: the mean that compression alone costs at these points, as we measured it. A proof measures
      every texel of a mip, against the output before it was compressed, so its figures are a little
      different.
    </p>
    <table>
      <thead>
        <tr class="soft">
          <th>set</th>
          <th>property</th>
          <th>read as meant</th>
          <th>within tolerance</th>
          <th class="right">mean</th>
          <th class="right">expected</th>
          <th class="right">worst</th>
          <th v-if="misread">would fit, read</th>
        </tr>
      </thead>
      <tbody v-for="[set, properties] in sets" :key="set">
        <tr v-for="(property, index) in properties" :key="property.property">
          <td class="mono">{{ index === 0 ? set : '' }}</td>
          <td>
            {{ words(property.property) }}
            <span class="soft">{{ UNIT_WORDS[property.unit] ?? property.unit }}</span>
          </td>
          <td>
            <StateGlyph :state="property.holds ? 'holds' : 'wrong'" />
            {{ property.holds ? 'yes' : 'no' }}
          </td>
          <td class="over" :title="property.allowed">
            <template v-if="property.within != null">
              <StateGlyph :state="property.within ? 'holds' : 'look'" />
              {{ property.within ? 'within' : `over: ${property.allowed}` }}
            </template>
            <span v-else class="faint">not bounded</span>
          </td>
          <td class="mono right">{{ fixed(property.mean, 2) }}</td>
          <td class="mono right">{{ property.expected == null ? '' : fixed(property.expected, 2) }}</td>
          <td class="mono right">{{ fixed(property.worst, 1) }}</td>
          <td v-if="misread" class="bad">{{ property.reading }}</td>
        </tr>
      </tbody>
    </table>
    <div class="head part">
      <h2>Textures that the dock read</h2>
      <span class="soft">{{ receipt.read.length }}</span>
    </div>
    <div v-for="entry in receipt.read" :key="entry.file" class="read">
      <span class="mono">{{ entry.file }}</span>
      <span class="mono">{{ entry.width }} × {{ entry.height }}</span>
      <span class="mono">{{ entry.format.toUpperCase() }}</span>
      <span class="mono">{{ entry.srgb ? 'sRGB' : 'linear' }}</span>
      <span class="mono soft" :title="levelWords(entry.set, entry.output)">
        <StateGlyph :state="levelState(entry.set, entry.output)" /> {{ entry.levels }}
        {{ entry.levels === 1 ? 'mip' : 'mips' }}
      </span>
    </div>
  </section>
</template>

<style scoped>
.about {
  max-width: 78ch;
  padding: 10px 0 2px;
}
.good {
  color: var(--verdigris);
  font-weight: 600;
}
.bad {
  color: var(--madder);
  font-weight: 600;
}
.finding {
  display: flex;
  gap: 9px;
  padding: 8px 0;
  border-bottom: 1px solid var(--rule);
  overflow-wrap: anywhere;
}
table {
  width: 100%;
  border-collapse: collapse;
  margin-top: 8px;
}
th {
  font-weight: 400;
  text-align: left;
  padding: 5px 8px 5px 0;
}
td {
  height: 26px;
  padding-right: 8px;
}
tr {
  border-bottom: 1px solid var(--rule);
}
th,
td {
  white-space: nowrap;
}
.over {
  white-space: normal;
}
.right {
  text-align: right;
}
.part {
  margin-top: 26px;
}
.read {
  display: grid;
  grid-template-columns: 1fr 96px 60px 50px 94px;
  gap: 10px;
  min-height: 26px;
  align-items: center;
  border-bottom: 1px solid var(--rule);
}
.read > :first-child {
  overflow-wrap: anywhere;
}
</style>
