<script setup lang="ts">
// The targets that a project has taken: each at its version, a newer one offered with what it would rebuild.
import Button from 'primevue/button';
import { computed, ref, toRef } from 'vue';

import { api, take, type Schemas } from '@/api/client';
import { useProjectTargets, useTargetsRefresh, type PinView } from '@/api/targets';
import { bytesWords } from '@/lib/values/format';
import { useSay } from '@/lib/page/say';

import ActList from '@/parts/widgets/ActList.vue';
import TargetChanges from './TargetChanges.vue';

const props = defineProps<{ slug: string }>();
const held = useProjectTargets(toRef(props, 'slug'));
const refresh = useTargetsRefresh();
const say = useSay();
const busy = ref('');
const asked = ref<{ name: string; version: number; answer: Schemas['UpgradeAsked'] } | null>(null);
const others = computed(() =>
  (held.data.value?.others ?? []).map(({ name, title, version }) => ({
    value: name,
    text: `${title} v${version}`,
  })),
);

async function put(pin: string, body: Schemas['PinChange'], said: string): Promise<void> {
  busy.value = pin;
  try {
    await take(
      api.PUT('/api/projects/{slug}/targets/{name}', {
        params: { path: { slug: props.slug, name: pin } },
        body,
      }),
    );
    asked.value = null;
    await refresh();
    say.done(said);
  } catch (error) {
    say.wrong(error);
  }
  busy.value = '';
}
async function giveUp(pin: PinView): Promise<void> {
  try {
    await take(
      api.DELETE('/api/projects/{slug}/targets/{name}', {
        params: { path: { slug: props.slug, name: pin.name } },
      }),
    );
    await refresh();
    say.done(`${pin.title} is taken out of the project.`);
  } catch (error) {
    say.wrong(error);
  }
}
async function look(pin: PinView): Promise<void> {
  if (asked.value?.name === pin.name) {
    asked.value = null;
    return;
  }
  busy.value = pin.name;
  try {
    const answer = await take(
      api.GET('/api/projects/{slug}/targets/{name}/upgrade', {
        params: { path: { slug: props.slug, name: pin.name }, query: { version: pin.newest } },
      }),
    );
    asked.value = { name: pin.name, version: pin.newest, answer };
  } catch (error) {
    say.wrong(error);
  }
  busy.value = '';
}
function effect({ effect: told }: Schemas['UpgradeAsked']): string {
  const parts = [
    [told.built_again, 'built again'],
    [told.encoded_again, 'encoded again'],
    [told.renamed, 'renamed'],
    [told.added, 'added'],
    [told.removed, 'not made any more'],
  ] as const;
  const said = parts.filter(([count]) => count).map(([count, words]) => `${count} ${words}`);
  const sets = `${told.sets} ${told.sets === 1 ? 'set' : 'sets'}`;
  return `Of the outputs of ${sets}: ${said.join(', ') || 'none changes'}. Memory ${bytesWords(told.memory_before)} → ${bytesWords(told.memory_after)}.`;
}
</script>

<template>
  <section aria-label="Targets of this project">
    <div v-for="pin in held.data.value?.targets ?? []" :key="pin.name" class="pin">
      <div class="line">
        <RouterLink class="title" :to="{ name: 'target', params: { slug, name: pin.name } }">
          <strong>{{ pin.title }}</strong> <span class="mono">v{{ pin.version }}</span>
        </RouterLink>
        <span class="soft about">{{ pin.summary }}</span>
        <span class="acts">
          <span v-if="pin.usual" class="soft">the usual target</span>
          <label class="check" :title="`Every set is made for ${pin.title} that does not say otherwise.`">
            <input
              type="checkbox"
              :checked="pin.for_all"
              :disabled="!held.data.value?.may_edit || pin.usual"
              @change="
                put(
                  pin.name,
                  { for_all: ($event.target as HTMLInputElement).checked },
                  `${pin.title}: ${($event.target as HTMLInputElement).checked ? 'for every set' : 'for those sets alone that ask for it'}`,
                )
              "
            />
            for every set{{ pin.own ? `, ${pin.own} by their own choice` : '' }}
          </label>
          <button v-if="held.data.value?.may_edit && !pin.usual" class="plain link soft" @click="giveUp(pin)">
            Take out
          </button>
        </span>
      </div>
      <p v-if="pin.newest > pin.version" class="newer">
        <span aria-hidden="true">◆</span> v{{ pin.newest }} is out.
        <button class="plain link" :aria-expanded="asked?.name === pin.name" @click="look(pin)">
          What would change
        </button>
      </p>
      <p v-if="pin.deprecated" class="newer">
        <span aria-hidden="true">◆</span> It is deprecated{{
          pin.successor ? `; ${pin.successor} takes its place` : ''
        }}.
      </p>
      <div v-if="asked?.name === pin.name" class="offer">
        <p>{{ effect(asked.answer) }}</p>
        <TargetChanges :changes="asked.answer.changes" />
        <Button
          v-if="held.data.value?.may_edit"
          :label="`Take version ${asked.version}`"
          :loading="busy === pin.name"
          @click="
            put(pin.name, { version: asked.version }, `${pin.title} is at version ${asked.version} now.`)
          "
        />
      </div>
    </div>
    <div v-if="held.data.value?.may_edit && others.length" class="add">
      <ActList
        words="Take another target…"
        :options="others"
        filter
        @choose="put($event, { for_all: true }, 'Taken; every set is made for it now.')"
      />
    </div>
  </section>
</template>

<style scoped>
.pin {
  padding: 7px 8px;
  border-bottom: 1px solid var(--rule);
}
.line {
  display: grid;
  grid-template-columns: 200px minmax(0, 1fr) auto;
  gap: 16px;
  align-items: baseline;
}
.title:hover strong {
  text-decoration: underline;
  text-underline-offset: 3px;
}
.about {
  line-height: 1.35;
}
.acts {
  display: flex;
  gap: 14px;
  align-items: baseline;
}
.newer {
  color: var(--ochre);
  margin-top: 3px;
}
.offer {
  display: grid;
  gap: 10px;
  justify-items: start;
  padding: 10px 0 6px;
}
.add {
  padding: 10px 8px;
}
</style>
