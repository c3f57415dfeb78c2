<script setup lang="ts">
// The textures that the target asks for: planned, built, to be looked at and downloaded.
import { computed } from 'vue';

import type { OutputView, SetView } from '@/api/client';
import { bytesWords, sizeWords } from '@/lib/values/format';
import { ofOutput, pictureUrl } from '@/lib/pictures/pictures';

import FileName from '@/parts/widgets/FileName.vue';
import Chip from './Chip.vue';
import StateGlyph from '@/parts/widgets/StateGlyph.vue';

const props = defineProps<{ view: SetView; lit: string[] }>();
const emit = defineEmits<{ look: [output: OutputView] }>();
const rows = computed(() => {
  const built = new Map((props.view.build?.outputs ?? []).map((output) => [output.file_name, output]));
  return props.view.planned.map((planned) => ({ planned, output: built.get(planned.file_name) }));
});
</script>

<template>
  <div class="outputs">
    <div
      v-for="{ planned, output } in rows"
      :key="planned.key"
      class="output"
      :class="{ lit: lit.includes(planned.file_name) }"
    >
      <button
        v-if="output"
        class="plain"
        :aria-label="`Look at ${planned.file_name}`"
        @click="emit('look', output)"
      >
        <img
          class="thumb"
          width="32"
          height="32"
          alt=""
          loading="lazy"
          :src="pictureUrl(ofOutput(output), 'RGB', 'small')"
        />
      </button>
      <span v-else class="hole" />
      <div class="text">
        <FileName :name="planned.file_name" />
        <div class="soft">
          {{ planned.title }}, {{ planned.stored }}, {{ sizeWords(planned.width, planned.height) }}
        </div>
        <div v-if="planned.problem" class="problem">
          <StateGlyph state="wrong" /> {{ planned.problem }} {{ planned.way_out }}
        </div>
      </div>
      <Chip :label="planned.channels" />
      <span class="mono bytes">{{ output ? bytesWords(output.bytes) : '' }}</span>
      <span class="mono faint hash" :title="output?.sha256">{{ output?.sha256.slice(0, 8) }}</span>
      <a v-if="output" class="link get" :href="`/api/outputs/${output.id}/file`" :download="output.file_name"
        >Download</a
      >
      <span v-else class="get faint">not built</span>
    </div>
  </div>
</template>

<style scoped>
.output {
  display: flex;
  align-items: center;
  gap: 11px;
  padding: 5px 8px;
  border-bottom: 1px solid var(--rule);
}
.lit {
  background: var(--wash);
}
.text {
  flex: 1;
  min-width: 0;
}
.hole {
  width: 32px;
  height: 32px;
  border: 1px dashed color-mix(in srgb, var(--ink) 30%, transparent);
  flex: none;
}
.bytes {
  width: 62px;
  text-align: right;
}
.hash {
  width: 62px;
}
.get {
  width: 62px;
  text-align: right;
}
.problem {
  color: var(--madder);
}
</style>
