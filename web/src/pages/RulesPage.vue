<script setup lang="ts">
// House rules: how files are named, placed and sized, tried out while they are written.
import Button from 'primevue/button';
import InputNumber from 'primevue/inputnumber';
import InputText from 'primevue/inputtext';
import Select from 'primevue/select';
import { computed, ref, watch } from 'vue';
import { useRoute } from 'vue-router';

import { ApiError, api, take } from '@/api/client';
import { saveRules, useRules, type HouseRules } from '@/api/arriving';
import { useRefresh } from '@/api/queries';
import { useSay } from '@/lib/say';
import HabitList from '@/parts/HabitList.vue';
import NameTester from '@/parts/NameTester.vue';
import Trouble from '@/parts/Trouble.vue';

const route = useRoute();
const slug = computed(() => String(route.params.slug));
const rules = useRules(slug);
const refresh = useRefresh(slug);
const say = useSay();
const draft = ref<HouseRules | null>(null);
const saving = ref(false);
const chooser = ref<HTMLInputElement | null>(null);

watch(rules.data, (now) => now && (draft.value = JSON.parse(JSON.stringify(now.rules)) as HouseRules), {
  immediate: true,
});
const may = computed(() => rules.data.value?.may_edit ?? false);
const changed = computed(() => JSON.stringify(draft.value) !== JSON.stringify(rules.data.value?.rules));
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
const WORDS = [
  'base_colour',
  'normal',
  'roughness',
  'gloss',
  'metallic',
  'occlusion',
  'height',
  'emissive',
  'opacity',
  'specular',
  'diffuse',
  'mask',
];

const LETTERS = ['occlusion', 'roughness', 'metallic', 'height', 'gloss', 'opacity'];

function put(change: Partial<HouseRules>): void {
  if (draft.value) draft.value = { ...draft.value, ...change };
}
function putSize(change: Partial<HouseRules['sizes']>): void {
  if (draft.value) put({ sizes: { ...draft.value.sizes, ...change } });
}
async function save(): Promise<void> {
  if (!draft.value || !rules.data.value) return;
  saving.value = true;
  try {
    await saveRules(slug.value, rules.data.value.version, { ...draft.value, hold: true }, 'Changed');
    await rules.refetch();
    refresh();
    say.done('The rules hold from now on.');
  } catch (error) {
    say.wrong(error);
  } finally {
    saving.value = false;
  }
}
/** An older version becomes the newest; nothing is lost. */
async function takeUp(number: number): Promise<void> {
  if (!rules.data.value) return;
  try {
    const path = { slug: slug.value, number };
    const older = await take(api.GET('/api/projects/{slug}/rules/{number}/document', { params: { path } }));
    await saveRules(slug.value, rules.data.value.version, older, `Version ${number} taken up again`);
    await rules.refetch();
    refresh();
    say.done(`Version ${number} holds again.`);
  } catch (error) {
    say.wrong(error);
  }
}
async function bringIn(event: Event): Promise<void> {
  const file = (event.target as HTMLInputElement).files?.[0];
  (event.target as HTMLInputElement).value = '';
  if (!file || !rules.data.value) return;
  try {
    const body = JSON.parse(await file.text()) as HouseRules;
    await saveRules(slug.value, rules.data.value.version, body, `Brought in from ${file.name}`);
    await rules.refetch();
    refresh();
  } catch (error) {
    say.wrong(
      error instanceof ApiError
        ? error
        : new ApiError(0, file.name, 'is no JSON document.', 'Export one to start from.'),
    );
  }
}
</script>

<template>
  <Trouble v-if="rules.isError.value" :error="rules.error.value" @again="rules.refetch()" />
  <main v-else-if="draft && rules.data.value" class="page">
    <div class="form">
      <header class="top">
        <h1>House rules</h1>
        <span class="soft">{{
          rules.data.value.version && draft.hold
            ? `version ${rules.data.value.version}`
            : 'none written yet: names are free'
        }}</span>
      </header>
      <p v-if="!may" class="soft">A lead may change them.</p>
      <fieldset :disabled="!may">
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
            <code
              v-for="token in ['project', 'prefix', 'set', 'property', 'size', 'revision']"
              :key="token"
              >{{ `{${token}\}` }}</code>. All else stands as written.
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
              <input
                type="checkbox"
                :checked="draft.any_script"
                @change="put({ any_script: !draft.any_script })"
              />
              letters of any script
            </label>
          </div>
          <div class="line">
            <span>At most</span>
            <InputNumber
              :model-value="draft.longest"
              :min="8"
              :max="200"
              aria-label="Longest name"
              @update:model-value="put({ longest: $event ?? 64 })"
            />
            <span class="soft">characters, without the ending</span>
          </div>
          <label class="line">
            <span>Kept names</span>
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
        <section>
          <h2>What properties are called</h2>
          <div class="words">
            <label v-for="key in WORDS" :key="key" class="word">
              <span class="soft">{{ key.replace('_', ' ') }}</span>
              <InputText
                class="mono"
                :model-value="draft.words[key] ?? key"
                @update:model-value="put({ words: { ...draft.words, [key]: $event ?? '' } })"
              />
            </label>
          </div>
          <div class="line letters">
            <span>Packed maps</span>
            <label v-for="key in LETTERS" :key="key" class="small">
              <InputText
                class="mono letter"
                maxlength="3"
                :aria-label="`Letter of ${key}`"
                :model-value="draft.letters[key] ?? ''"
                @update:model-value="put({ letters: { ...draft.letters, [key]: $event ?? '' } })"
              />
              <span class="soft">{{ key }}</span>
            </label>
          </div>
          <p class="soft hint">
            They spell a packed map by its channels; one without a letter makes the words be written out.
          </p>
          <label class="check">
            <input
              type="checkbox"
              :checked="draft.say_direction"
              @change="put({ say_direction: !draft.say_direction })"
            />
            normal maps say their direction, gl or dx
          </label>
        </section>
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
        <section>
          <h2>Habits</h2>
          <HabitList :habits="draft.habits" :may="may" @change="put({ habits: $event })" />
        </section>
      </fieldset>
      <section>
        <h2>Versions</h2>
        <div v-for="version in rules.data.value.versions" :key="version.number" class="version">
          <span class="mono">v{{ version.number }}</span>
          <span>{{ version.what }}</span>
          <span class="soft">{{ version.by }}</span>
          <span class="soft">{{ new Date(version.at).toLocaleDateString() }}</span>
          <a class="link soft" :href="`/api/projects/${slug}/rules/${version.number}/document`" download
            >Export</a
          >
          <button
            v-if="may && version.number !== rules.data.value.version"
            class="plain link soft"
            @click="takeUp(version.number)"
          >
            Take up again
          </button>
        </div>
        <p v-if="!rules.data.value.versions.length" class="soft hint">
          Nothing has been written yet. Keep these rules to make version 1.
        </p>
      </section>
    </div>
    <aside class="side">
      <div v-if="may" class="acts">
        <Button
          label="Keep these rules"
          :disabled="(!changed && draft.hold) || saving"
          :loading="saving"
          @click="save"
        />
        <Button label="Bring in a document" severity="secondary" @click="chooser?.click()" />
        <input ref="chooser" type="file" accept=".json,application/json" hidden @change="bringIn" />
      </div>
      <NameTester :slug="slug" :rules="draft" />
      <RouterLink class="link" :to="{ name: 'renames', params: { slug } }"
        >What these rules would rename</RouterLink
      >
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
.form {
  flex: 1;
  min-width: 0;
  overflow: auto;
  padding: 18px 24px 48px 20px;
}
.top {
  display: flex;
  gap: 14px;
  align-items: baseline;
}
fieldset {
  border: 0;
  padding: 0;
  margin: 0;
}
section {
  margin-top: 22px;
}
section > h2 {
  padding-bottom: 7px;
  border-bottom: 1px solid var(--ink);
}
.line {
  display: flex;
  align-items: center;
  gap: 10px;
  min-height: 40px;
  border-bottom: 1px solid var(--rule);
}
.line > :first-child {
  width: 88px;
  flex: none;
}
.second {
  margin-left: 8px;
}
.wide {
  flex: 1;
  max-width: 400px;
}
.short {
  width: 66px;
}
.small {
  display: flex;
  align-items: center;
  gap: 6px;
  width: auto;
}
.line .p-select {
  width: 168px;
}
.check {
  display: inline-flex;
  align-items: center;
  gap: 6px;
  margin: 8px 0 0;
}
.line .check {
  margin: 0 0 0 8px;
}
.letter {
  width: 44px;
}
.hint {
  padding: 6px 0 6px 98px;
}
.hint code {
  font-family: var(--mono);
  font-size: 10.5px;
  margin-right: 8px;
}
.words {
  display: grid;
  grid-template-columns: repeat(4, minmax(0, 1fr));
  gap: 8px 12px;
  padding-top: 10px;
}
.word {
  display: grid;
  gap: 2px;
}
.word .p-inputtext,
.short {
  min-width: 0;
}
:deep(.p-inputnumber-input) {
  width: 84px;
  text-align: right;
}
.version {
  display: grid;
  grid-template-columns: 40px minmax(0, 1fr) 70px 90px 60px;
  gap: 12px;
  padding: 6px 0;
  border-bottom: 1px solid var(--rule);
}
.side {
  width: 356px;
  flex: none;
  border-left: 1px solid var(--rule);
  padding: 20px 18px;
  overflow: auto;
  display: flex;
  flex-direction: column;
  gap: 18px;
}
.acts {
  display: flex;
  gap: 8px;
}
</style>
