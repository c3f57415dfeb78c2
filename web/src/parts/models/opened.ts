// The file of a model, fetched and read for the stage; read anew when another revision is shown.
import { onScopeDispose, ref, shallowRef, watch, type Ref, type ShallowRef } from 'vue';

import { modelOf, type Model } from '@/stage/model';

interface Shown {
  url: string;
  mtl?: string | null;
  file_name: string;
}

/** `second` says which set of its texture coordinates is looked at; while `busy` holds, what is on the stage stays there. */
export function useOpenedModel(
  model: ShallowRef<Model | null>,
  shown: Ref<Shown | undefined>,
  second: Ref<boolean>,
  busy: () => boolean,
) {
  const problem = ref('');
  const doing = ref('');
  /** Whether another revision has come in than the one on the stage, which is being worked on. */
  const newer = ref(false);
  /** The file that the model on the stage was read from. */
  const file = shallowRef<Blob | null>(null);
  let reading = new AbortController();
  onScopeDispose(() => reading.abort());

  async function open(): Promise<void> {
    if (!shown.value) return;
    const { url, file_name: name, mtl = null } = shown.value;
    reading.abort();
    const mine = (reading = new AbortController());
    newer.value = false;
    problem.value = '';
    doing.value = 'fetching it';
    try {
      const answer = await fetch(url, { signal: mine.signal });
      if (!answer.ok) throw new Error('cannot be fetched. Reload the page.');
      const tell = (now: string) => (doing.value = now);
      const blob = await answer.blob();
      const read = await modelOf(blob, name, { mtl, second: second.value, tell, signal: mine.signal });
      [file.value, model.value] = [blob, read];
    } catch (error) {
      if (!mine.signal.aborted)
        problem.value = `${name} ${error instanceof Error ? error.message : 'cannot be read.'}`;
    }
  }
  watch(
    [() => shown.value?.url, () => shown.value?.mtl, second],
    () => {
      newer.value = busy();
      if (!newer.value) void open();
    },
    { immediate: true },
  );
  return { problem, doing, newer, file, open };
}
