<script setup lang="ts">
// One source file: its picture, what was measured on it with the pictures behind the figures, and its revisions.
import { computed, ref, toRef } from 'vue';
import { useQueryClient } from '@tanstack/vue-query';

import { useFile } from '@/api/arriving';
import { api, take } from '@/api/client';
import { useRefresh } from '@/api/queries';
import { bytesWords, sampleWords, sizeWords } from '@/lib/values/format';
import { evidenceUrl, viewsOf, type View } from '@/lib/pictures/pictures';
import { useSay } from '@/lib/page/say';

import FigureList, { type Figure } from '@/parts/widgets/FigureList.vue';
import TakeFile from './TakeFile.vue';
import Trouble from '@/parts/widgets/Trouble.vue';
import { dayWords } from '@/lib/values/local';

const props = defineProps<{ fileId: number; slug: string; mayWork: boolean }>();
const file = useFile(toRef(props, 'fileId'));
const cache = useQueryClient();
const refresh = useRefresh(toRef(props, 'slug'));
const say = useSay();
/** What the well shows: a view of the file, a picture behind a figure, or an older revision. */
const shown = ref<
  | { kind: 'view'; view: View }
  | { kind: 'evidence'; name: string; channel: string | null; caption: string }
  | { kind: 'revision'; number: number }
>({
  kind: 'view',
  view: 'RGB',
});

const detail = computed(() => file.data.value);
const facts = computed(() => detail.value?.facts);
const views = computed(() => viewsOf(facts.value?.channels ?? []));
const address = computed(() => {
  const base = `/api/files/${props.fileId}`;
  const stamp = facts.value?.sha256.slice(0, 12) ?? '';
  if (shown.value.kind === 'evidence')
    return evidenceUrl(props.fileId, shown.value.name, shown.value.channel, stamp);
  if (shown.value.kind === 'revision')
    return `${base}/picture?view=RGB&size=whole&revision=${shown.value.number}`;
  return `${base}/picture?view=${shown.value.view}&size=whole&v=${stamp}`;
});

function show(figure: Figure): void {
  const { kind, channel = null, caption } = figure;
  shown.value = isShown(figure)
    ? { kind: 'view', view: 'RGB' }
    : { kind: 'evidence', name: kind ?? 'plain', channel, caption };
}
function isShown(figure: Figure): boolean {
  const now = shown.value;
  return now.kind === 'evidence' && now.name === figure.kind && now.channel === (figure.channel ?? null);
}
function bringBack(number: number): void {
  take(
    api.POST('/api/files/{file_id}/revisions/{number}/bring-back', {
      params: { path: { file_id: props.fileId, number } },
    }),
  ).then((now) => {
    cache.setQueryData(['file', props.fileId], now);
    void file.refetch();
    shown.value = { kind: 'view', view: 'RGB' };
    refresh();
    void cache.invalidateQueries({ queryKey: ['maps'] });
    say.done(`Revision ${number} is back; what depends on it is stale until it is built again.`);
  }, say.wrong);
}
</script>

<template>
  <aside class="panel" aria-label="Chosen map">
    <Trouble v-if="file.isError.value" :error="file.error.value" @again="file.refetch()" />
    <template v-else-if="detail && facts">
      <div class="well">
        <img
          :src="address"
          :alt="`${facts.path}, ${shown.kind === 'evidence' ? shown.caption : shown.kind}`"
        />
      </div>
      <div class="strip mono">
        <button
          v-for="view in views"
          :key="view"
          class="tool"
          :class="{ on: shown.kind === 'view' && shown.view === view }"
          @click="shown = { kind: 'view', view }"
        >
          {{ view === 'RGB' && !facts.channels.includes('R') ? 'Y' : view }}
        </button>
        <span class="space" />
        <span class="caption">{{
          shown.kind === 'evidence'
            ? shown.caption
            : shown.kind === 'revision'
              ? `revision ${shown.number}`
              : ''
        }}</span>
      </div>
      <div class="text">
        <div class="mono name">{{ facts.path }}</div>
        <p class="soft">
          {{ sizeWords(facts.width, facts.height) }}, {{ sampleWords(facts.sample) }},
          {{ facts.format.toUpperCase() }}, {{ bytesWords(facts.bytes) }}
          <template v-if="detail.set_id">
            in
            <RouterLink class="link" :to="{ name: 'set', params: { slug, id: detail.set_id } }">{{
              detail.set_name
            }}</RouterLink></template
          >
        </p>
        <p v-if="facts.channels.length > 1" class="soft">
          Save one channel as a map:
          <a
            v-for="channel in facts.channels"
            :key="channel"
            class="link mono one"
            :href="`/api/files/${detail.id}/channels/${channel}`"
            download
            >{{ channel }}</a
          >
        </p>
        <TakeFile
          v-if="mayWork && !detail.set_id"
          :file-id="fileId"
          :siblings="detail.siblings"
          :slug="slug"
        />
        <FigureList
          :file-id="fileId"
          :stamp="facts.sha256.slice(0, 12)"
          :figures="detail.figures"
          :is-shown="isShown"
          @show="show"
        />
        <section aria-label="Revisions">
          <div class="head"><h2>Revisions</h2></div>
          <div v-for="revision in detail.revisions" :key="revision.number" class="revision">
            <span class="mono">{{ revision.number }}</span>
            <span class="what" :title="revision.what">{{ revision.what }}</span>
            <span class="soft">{{ dayWords(revision.at) }}</span>
            <span v-if="revision.current" class="soft">current</span>
            <span v-else class="acts">
              <button class="plain link soft" @click="shown = { kind: 'revision', number: revision.number }">
                Look
              </button>
              <button v-if="mayWork" class="plain link soft" @click="bringBack(revision.number)">
                Bring back
              </button>
            </span>
          </div>
        </section>
      </div>
    </template>
  </aside>
</template>

<style scoped>
.panel {
  width: 372px;
  flex: none;
  border-left: 1px solid var(--rule);
  overflow: auto;
}
.well {
  background: var(--well);
  aspect-ratio: 1;
}
.well img {
  width: 100%;
  height: 100%;
  object-fit: contain;
  display: block;
}
.text {
  padding: 12px 16px 28px;
}
.name {
  overflow-wrap: anywhere;
  line-height: 1.6;
  font-weight: 600;
}
section {
  margin-top: 18px;
}
.caption {
  padding: 0 10px;
  line-height: 26px;
  font-size: 10.5px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.revision {
  display: grid;
  grid-template-columns: 22px minmax(0, 1fr) 80px 118px;
  gap: 8px;
  padding: 5px 0;
  border-bottom: 1px solid var(--rule);
}
.what {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.acts {
  display: flex;
  gap: 12px;
}
.one {
  margin-left: 8px;
}
</style>
