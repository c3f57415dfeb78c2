<script setup lang="ts">
// How names are written: the template, letter case, prefixes, characters.
import InputText from 'primevue/inputtext';
import Select from 'primevue/select';

import type { HouseRules } from '@/api/arriving';

import NumberField from '@/parts/widgets/NumberField.vue';

defineProps<{ draft: HouseRules; may: boolean }>();
const emit = defineEmits<{ change: [change: Partial<HouseRules>] }>();
const CASES = [
  { value: 'lower', label: 'lower_case' },
  { value: 'upper', label: 'UPPER_CASE' },
  { value: 'pascal', label: 'EveryWordCapital' },
  { value: 'camel', label: 'firstWordSmall' },
  { value: 'kept', label: 'as it comes' },
];
const SEPARATORS = [
  { value: '_', label: '_  underscore' },
  { value: '-', label: '-  hyphen' },
  { value: '.', label: '.  dot' },
  { value: ' ', label: 'space' },
  { value: '', label: 'none' },
];
const KINDS = [
  { key: 'colour', title: 'Colour maps' },
  { key: 'normal', title: 'Normal maps' },
  { key: 'data', title: 'Data maps' },
  { key: 'packed', title: 'Packed maps' },
] as const;
function put(change: Partial<HouseRules>): void {
  emit('change', change);
}
</script>

<template>
  <section>
    <h2>Names</h2>
    <label class="line">
      <span>Name</span>
      <InputText
        class="mono wide"
        :model-value="draft.name"
        @update:model-value="put({ name: $event ?? '' })"
      />
    </label>
    <p class="soft hint">
      Tokens:
      <code v-for="token in ['project', 'prefix', 'set', 'property', 'size', 'revision']" :key="token">{{
        `{${token}\}`
      }}</code>. All else stands as written.
    </p>
    <label class="line">
      <span>Folder</span>
      <InputText
        class="mono wide"
        placeholder="anywhere"
        :model-value="draft.folder"
        @update:model-value="put({ folder: $event ?? '' })"
      />
    </label>
    <div class="line">
      <span>Letter case</span>
      <Select
        :model-value="draft.case"
        :options="CASES"
        option-label="label"
        option-value="value"
        aria-label="Letter case"
        :disabled="!may"
        @update:model-value="put({ case: $event })"
      />
      <span class="second">between words</span>
      <Select
        :model-value="draft.separator"
        :options="SEPARATORS"
        option-label="label"
        option-value="value"
        placeholder="none"
        aria-label="Separator"
        :disabled="!may"
        @update:model-value="put({ separator: $event })"
      />
    </div>
    <div class="line">
      <span>Prefixes</span>
      <label v-for="kind in KINDS" :key="kind.key" class="small">
        <InputText
          class="mono short"
          placeholder="none"
          :model-value="draft.prefixes[kind.key] ?? ''"
          @update:model-value="put({ prefixes: { ...draft.prefixes, [kind.key]: $event ?? '' } })"
        />
        <span class="soft">{{ kind.title }}</span>
      </label>
    </div>
    <div class="line">
      <span>Characters</span>
      <span class="soft">letters and digits, and</span>
      <InputText
        class="mono short"
        aria-label="Characters beside letters and digits"
        :model-value="draft.extra"
        @update:model-value="put({ extra: $event ?? '' })"
      />
      <label class="check">
        <input type="checkbox" :checked="draft.any_script" @change="put({ any_script: !draft.any_script })" />
        letters of any script
      </label>
    </div>
    <div class="line">
      <span>At most</span>
      <NumberField
        :model-value="draft.longest"
        :low="8"
        :high="200"
        whole
        label="Longest name"
        @update:model-value="put({ longest: $event ?? 64 })"
      />
      <span class="soft">characters, without the ending</span>
    </div>
    <label class="line">
      <span>Reserved names</span>
      <InputText
        class="mono wide"
        placeholder="names nobody may use, with commas between"
        :model-value="draft.reserved.join(', ')"
        @update:model-value="
          put({
            reserved: ($event ?? '')
              .split(',')
              .map((name) => name.trim())
              .filter(Boolean),
          })
        "
      />
    </label>
  </section>
</template>
