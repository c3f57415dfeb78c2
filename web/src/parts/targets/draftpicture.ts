// Pictures of an output that is being designed: asked for when what it is made of changes, the old one staying meanwhile.
import { onScopeDispose, ref, watch, type Ref } from 'vue';

import { pictureOf, type TargetDocument, type TargetOutput } from '@/api/targets';

const PAUSE = 250;

/** What a picture depends on: the output without its words, and which way normals point. */
function stampOf(document: TargetDocument, output: TargetOutput): string {
  return JSON.stringify([document.normal_y, { ...output, title: '', suffix: '', key: '' }]);
}

export function useDraftPicture(
  document: Ref<TargetDocument | null>,
  place: Ref<number>,
  set: Ref<number | null>,
  sound: Ref<boolean>,
) {
  const url = ref('');
  let asked = 0;
  let timer = 0;
  function show(blob: Blob | null): void {
    if (url.value) URL.revokeObjectURL(url.value);
    url.value = blob ? URL.createObjectURL(blob) : '';
  }
  async function ask(): Promise<void> {
    const mine = ++asked;
    if (!document.value || set.value === null || !sound.value) return show(null);
    try {
      const blob = await pictureOf(set.value, document.value, place.value);
      if (mine === asked) show(blob);
    } catch {
      // The row says why there is none.
      if (mine === asked) show(null);
    }
  }
  watch(
    () => {
      const output = document.value?.outputs[place.value];
      return document.value && output ? `${set.value} ${sound.value} ${stampOf(document.value, output)}` : '';
    },
    () => {
      window.clearTimeout(timer);
      timer = window.setTimeout(() => void ask(), url.value ? PAUSE : 0);
    },
    { immediate: true },
  );
  onScopeDispose(() => {
    window.clearTimeout(timer);
    asked += 1;
    show(null);
  });
  return url;
}
