<script setup lang="ts">
import { computed } from 'vue';
import { useRoute } from 'vue-router';

import { useBoard, useModels, useVariants } from '@/api/queries';
import { content, focusOn } from '@/lib/page/focus';
import { useLive } from '@/lib/page/live';
import { lookAt } from '@/lib/pictures/targetshown';
import { useTitle } from '@/lib/page/title';
import ActionPalette from '@/parts/frame/ActionPalette.vue';
import DropCurtain from '@/parts/frame/DropCurtain.vue';
import JobsTray from '@/parts/frame/JobsTray.vue';
import KeyHelp from '@/parts/frame/KeyHelp.vue';
import SideNav from '@/parts/frame/SideNav.vue';
import StepsTray from '@/parts/frame/StepsTray.vue';
import TopBar from '@/parts/frame/TopBar.vue';
import Trouble from '@/parts/widgets/Trouble.vue';
import UnsavedLine from '@/parts/frame/UnsavedLine.vue';
import UploadLine from '@/parts/frame/UploadLine.vue';

const route = useRoute();
const slug = computed(() => String(route.params.slug));
lookAt(slug);
const board = useBoard(slug);
const variants = useVariants(slug);
const models = useModels(slug);
useLive(slug);

const title = computed(() => board.data.value?.project.title ?? '');
/** A set's pages and a variant's are called after it. */
const named = computed(() => {
  const { id, name } = route.params;
  if (route.name === 'variant')
    return variants.data.value?.find((variant) => String(variant.id) === id)?.name;
  if (route.name === 'model') return models.data.value?.find((model) => String(model.id) === id)?.name;
  if (route.name === 'master' || route.name === 'target') return String(name);
  const found = board.data.value?.sets.find((set) => String(set.id) === id)?.name;
  return found && route.name === 'look' ? `${found}, maps closely` : found;
});
useTitle(() => [named.value ?? route.meta.title, title.value]);
</script>

<template>
  <div class="frame">
    <a class="skip" href="#content" @click.prevent="focusOn(content())">Skip to the content</a>
    <TopBar>
      <template #where>
        <RouterLink v-if="title" class="soft" :to="{ name: 'board', params: { slug } }">{{
          title
        }}</RouterLink>
        <template v-if="named"
          ><span class="soft">/</span><strong>{{ named }}</strong></template
        >
      </template>
      <template v-if="board.data.value" #work>
        <UnsavedLine />
        <UploadLine :slug="slug" />
        <JobsTray :slug="slug" />
        <StepsTray :slug="slug" />
      </template>
    </TopBar>
    <Trouble
      v-if="board.isError.value && !board.data.value"
      :error="board.error.value"
      @again="board.refetch()"
    />
    <div v-else class="body">
      <SideNav :slug="slug" />
      <RouterView v-slot="{ Component }">
        <component
          :is="Component"
          id="content"
          :key="`${slug}-${String(route.name)}-${String(route.params.id ?? route.params.name ?? '')}`"
          tabindex="-1"
        />
      </RouterView>
      <DropCurtain :slug="slug" :title="title" />
    </div>
    <KeyHelp />
    <ActionPalette :slug="slug" />
  </div>
</template>

<style scoped>
.frame {
  height: 100%;
  display: flex;
  flex-direction: column;
}
.skip {
  position: absolute;
  left: 8px;
  top: -60px;
  z-index: 100;
  padding: 8px 12px;
  background: var(--sheet);
  border: 1px solid var(--ink);
}
.skip:focus {
  top: 6px;
}
.body {
  position: relative;
  flex: 1;
  min-height: 0;
  display: flex;
}
</style>
