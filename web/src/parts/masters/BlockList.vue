<script setup lang="ts">
// The studio's blocks: what goes in, what comes out, and which masters use them, at which version.
import { useQueryClient } from '@tanstack/vue-query';

import { api, take } from '@/api/client';
import { useBlocks } from '@/api/sheets';
import { useAsk } from '@/lib/page/ask';
import type { StudioBlock } from './blocks';
import { useSay } from '@/lib/page/say';

defineProps<{ slug: string }>();
const blocks = useBlocks();
const cache = useQueryClient();
const ask = useAsk();
const say = useSay();

function remove(block: StudioBlock): void {
  const held = block.used.length
    ? `${block.used.length} ${block.used.length === 1 ? 'master keeps' : 'masters keep'} what they hold of it.`
    : 'No master uses it.';
  ask(`Take ${block.title} out of the studio?`, held, 'Take it out', () => {
    take(api.DELETE('/api/blocks/{name}', { params: { path: { name: block.name } } }))
      .then(() => cache.invalidateQueries({ queryKey: ['blocks'] }))
      .catch(say.wrong);
  });
}
</script>

<template>
  <template v-if="blocks.data.value?.length">
    <div class="head part"><h2 v-term="'block'">Blocks</h2></div>
    <p class="soft intro">
      Groups of rows that masters share. Choose rows in a master that is being written to make one.
    </p>
    <div v-for="block in blocks.data.value" :key="block.name" class="block">
      <span>
        <strong>{{ block.title }}</strong> <span class="mono soft">v{{ block.latest }}</span>
        <span class="soft small">{{ block.document.summary || block.versions[0]?.note }}</span>
      </span>
      <span class="mono small soft">
        {{ block.document.inputs.map(({ name }) => name).join(', ') || 'nothing' }} →
        {{ block.document.outputs.join(', ') }}
      </span>
      <span>
        <span v-for="use in block.used" :key="`${use.master} ${use.drafted}`" class="small">
          <RouterLink
            class="link"
            :to="{ name: use.drafted ? 'sheet' : 'master', params: { slug, name: use.master } }"
            >{{ use.title }}</RouterLink
          >
          <span class="soft">{{ use.drafted ? ' draft' : '' }} v{{ use.version }}</span>
          <span v-if="use.version < block.latest" class="behind"> ◆ behind</span>
        </span>
        <span v-if="!block.used.length" class="soft small">no master uses it</span>
      </span>
      <button v-if="block.may_publish" type="button" class="plain link" @click="remove(block)">
        Take out
      </button>
    </div>
  </template>
</template>

<style scoped>
.part {
  margin-top: 34px;
}
.intro {
  margin: 4px 0 8px;
}
.block {
  display: grid;
  grid-template-columns: minmax(220px, 1fr) minmax(180px, 1fr) 220px 70px;
  gap: 14px;
  align-items: center;
  padding: 6px 8px;
  border-bottom: 1px solid var(--rule);
}
.small {
  display: block;
  font-size: 12px;
}
.behind {
  color: var(--ochre);
}
</style>
