// A target while it is written: kept on the server, and tried on a set.
import { onScopeDispose, ref, shallowRef, watch, type Ref } from 'vue';

import { api, take, type Schemas } from '@/api/client';
import { tryDraft, type DraftTried, type TargetDocument, type TargetProblem } from '@/api/targets';

import { useDocumentDraft } from '@/parts/drafts/documentdraft';

export { copied } from '@/parts/drafts/documentdraft';

const PAUSE = 350;

/** `look` fetches the draft as the server has it now. */
export function useTargetDraft(name: Ref<string>, look: () => Promise<Schemas['DraftView'] | null>) {
  return useDocumentDraft<TargetDocument, TargetProblem>(
    (document, seen) =>
      take(
        api.PUT('/api/targets/{name}/draft', {
          params: { path: { name: name.value } },
          body: { document, seen },
        }),
      ),
    look,
  );
}

/** A document tried on a set, whenever either changes. */
export function useTrial(document: Ref<TargetDocument | null>, set: Ref<number | null>) {
  const tried = shallowRef<DraftTried | null>(null);
  const wrong = ref('');
  let asked = 0;
  let timer = 0;
  async function ask(): Promise<void> {
    if (!document.value || set.value === null) return;
    const mine = ++asked;
    try {
      const answer = await tryDraft(set.value, document.value);
      if (mine !== asked) return;
      tried.value = answer;
      wrong.value = '';
    } catch (error) {
      if (mine === asked) wrong.value = error instanceof Error ? error.message : '';
    }
  }
  watch(
    [document, set],
    () => {
      window.clearTimeout(timer);
      timer = window.setTimeout(() => void ask(), tried.value ? PAUSE : 0);
    },
    { immediate: true },
  );
  onScopeDispose(() => window.clearTimeout(timer));
  return { tried, wrong };
}
