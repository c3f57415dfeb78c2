<script setup lang="ts">
// The rename plan: everything that breaks a naming rule, old beside new, by why; applied and undone as one step.
import Button from 'primevue/button';
import { computed, ref, watch } from 'vue';
import { useRoute } from 'vue-router';
import { useQueryClient } from '@tanstack/vue-query';

import { useRenames, useRules, type RenameLine, type RenamePlan } from '@/api/arriving';
import { api, take } from '@/api/client';
import { useLitPictures, useMayWork, useRefresh } from '@/api/queries';
import { changedPart } from '@/parts/rules/names';
import { useSay } from '@/lib/page/say';
import LitThumb from '@/parts/board/LitThumb.vue';
import Trouble from '@/parts/widgets/Trouble.vue';
import { momentWords } from '@/lib/values/local';

const route = useRoute();
const slug = computed(() => String(route.params.slug));
const plan = useRenames(slug);
const rules = useRules(slug);
const refresh = useRefresh(slug);
const mayWork = useMayWork(slug);
const litPicture = useLitPictures(slug);
const cache = useQueryClient();
const say = useSay();
const left = ref(new Set<number>());
const busy = ref(false);

const lines = computed(() => plan.data.value?.lines ?? []);
/** Each rule as a reason, for the groups' headings. */
const REASONS: Record<string, string> = {
  case: 'another letter case',
  separators: 'other separators',
  prefix: 'the prefix is missing',
  'property word': 'the house has another word for it',
  template: 'another order of words',
  characters: 'characters that may not stand in names',
  length: 'too long',
  reserved: 'a name that is kept',
  folder: 'another folder',
};
const groups = computed(() => {
  const found = new Map<string, RenameLine[]>();
  for (const line of lines.value) {
    const why = line.rules.map((rule) => REASONS[rule] ?? rule).join('; ');
    found.set(why, [...(found.get(why) ?? []), line]);
  }
  return [...found].sort((a, b) => b[1].length - a[1].length);
});
const chosen = computed(() => lines.value.filter((line) => line.new && !left.value.has(line.file)));
watch(
  () => plan.data.value?.stamp,
  () => (left.value = new Set()),
);

function toggle(line: RenameLine): void {
  const next = new Set(left.value);
  if (!next.delete(line.file)) next.add(line.file);
  left.value = next;
}
async function run(act: Promise<RenamePlan>, done: string): Promise<void> {
  busy.value = true;
  try {
    cache.setQueryData(['renames', slug.value], await act);
    await plan.refetch();
    refresh();
    void cache.invalidateQueries({ queryKey: ['maps', slug] });
    say.done(done);
  } catch (error) {
    say.wrong(error);
    void plan.refetch();
  } finally {
    busy.value = false;
  }
}
function apply(): void {
  if (!plan.data.value) return;
  const body = {
    stamp: plan.data.value.stamp,
    files: left.value.size ? chosen.value.map((line) => line.file) : null,
  };
  void run(
    take(api.POST('/api/projects/{slug}/renames', { params: { path: { slug: slug.value } }, body })),
    `${chosen.value.length} files renamed.`,
  );
}
function undo(id: number): void {
  void run(
    take(api.POST('/api/renames/{rename_id}/undo', { params: { path: { rename_id: id } } })),
    'The old names are back.',
  );
}
</script>

<template>
  <Trouble v-if="plan.isError.value" :error="plan.error.value" @again="plan.refetch()" />
  <main v-else-if="plan.data.value" v-keep-scroll class="page">
    <header class="top">
      <div>
        <h1>Rename plan</h1>
        <p class="soft">
          <RouterLink class="link" :to="{ name: 'rules', params: { slug } }">House rules</RouterLink>
          <template v-if="rules.data.value"> v{{ rules.data.value.version }}</template
          >. Sources keep their bytes; a re-export under the old name still finds its file.
        </p>
      </div>
      <div v-if="lines.length" class="acts">
        <a class="link soft" :href="`/api/projects/${slug}/renames/csv`" download>CSV of the mapping</a>
        <Button
          v-if="mayWork"
          :label="`Rename ${chosen.length}`"
          :disabled="!chosen.length || busy"
          :loading="busy"
          @click="apply"
        />
      </div>
    </header>
    <p v-if="!lines.length" class="soft none">
      {{
        rules.data.value?.rules.hold
          ? 'Every name holds to the house rules.'
          : 'No house rules have been written, so every name is free.'
      }}
    </p>
    <section v-for="[why, group] in groups" :key="why" :aria-label="why">
      <div class="head">
        <h2>{{ why.charAt(0).toUpperCase() + why.slice(1) }}</h2>
        <span class="mono soft">{{ group.length }}</span>
      </div>
      <label v-for="line in group" :key="line.file" class="line" :class="{ off: left.has(line.file) }">
        <input
          type="checkbox"
          :checked="line.new !== null && !left.has(line.file)"
          :disabled="!line.new || !mayWork"
          @change="toggle(line)"
        />
        <LitThumb v-if="litPicture(line.set_id)" :edge="24" :src="litPicture(line.set_id)" />
        <span v-else />
        <span class="mono old">{{ line.old }}</span>
        <span class="soft" aria-hidden="true">→</span>
        <span v-if="line.new" class="mono new">
          <template v-for="(part, index) in changedPart(line.old, line.new)" :key="index"
            ><b v-if="part.changed">{{ part.text }}</b
            ><template v-else>{{ part.text }}</template></template
          >
        </span>
        <span v-else class="madder">✕ stays</span>
        <span v-if="line.note" class="soft note">{{ line.note }}</span>
      </label>
    </section>
    <section v-if="plan.data.value.acts.length" aria-label="Done before">
      <div class="head"><h2>Done before</h2></div>
      <div v-for="act in plan.data.value.acts" :key="act.id" class="act">
        <span>{{ act.count }} renamed</span>
        <span class="soft">{{ act.by }}, {{ momentWords(act.at) }}</span>
        <span v-if="act.undone" class="soft">undone</span>
        <button v-else-if="mayWork" class="plain link soft" :disabled="busy" @click="undo(act.id)">
          Undo
        </button>
      </div>
    </section>
  </main>
</template>

<style scoped>
.page {
  flex: 1;
  min-width: 0;
  overflow: auto;
  padding: 18px 20px 48px;
}
.top {
  display: flex;
  justify-content: space-between;
  align-items: flex-start;
  gap: 16px;
}
.acts {
  display: flex;
  gap: 18px;
  align-items: center;
}
section {
  margin-top: 24px;
}
.line {
  content-visibility: auto;
  contain-intrinsic-size: auto 34px;
  display: grid;
  grid-template-columns: 18px 24px minmax(0, 1fr) 14px minmax(0, 1fr);
  gap: 0 10px;
  padding: 6px 0;
  border-bottom: 1px solid var(--rule);
  align-items: center;
  cursor: pointer;
}
.line input {
  accent-color: var(--madder);
}
.line:hover {
  background: var(--wash);
}
.old,
.new {
  overflow-wrap: anywhere;
  line-height: 1.6;
}
.old {
  color: var(--soft);
}
.new b {
  font-weight: 700;
}
.off .new {
  text-decoration: line-through;
  color: var(--faint);
}
.note {
  grid-column: 5;
}
.madder {
  color: var(--madder);
}
.none {
  padding: 18px 0;
}
.act {
  display: grid;
  grid-template-columns: 130px minmax(0, 1fr) 80px;
  gap: 12px;
  padding: 6px 0;
  border-bottom: 1px solid var(--rule);
}
</style>
