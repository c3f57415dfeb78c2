// A document that is being written on a page: kept in the browser until it is saved or discarded, and not left without a question.
import { computed, ref, toRaw, watch, type Ref } from 'vue';

import { useUnkept } from '@/lib/page/unkept';
import { useSession } from '@/stores/session';

const PREFIX = 'fairtexel.draft.';

/** A copy of a document to write in. `kept` is the document as the server has it: while nothing is typed, the copy follows it. */
export function useDraft<T>(name: string, kept: Ref<T | undefined>, what: string) {
  const session = useSession();
  const key = `${PREFIX}${session.user ?? ''}.${name}`;
  const draft = ref<T | null>(null) as Ref<T | null>;
  /** What was typed before the page was left or reloaded is here again. */
  const restored = ref(false);
  const text = (document: T | null | undefined): string => JSON.stringify(toRaw(document) ?? null);
  const copy = (document: T): T => JSON.parse(text(document)) as T;

  watch(
    kept,
    (now, before) => {
      if (now === undefined) return;
      if (draft.value === null) {
        const left = localStorage.getItem(key);
        restored.value = left !== null && left !== text(now);
        draft.value = restored.value && left ? (JSON.parse(left) as T) : copy(now);
      } else if (text(draft.value) === text(before)) draft.value = copy(now);
    },
    { immediate: true },
  );
  const changed = computed(() => draft.value !== null && text(draft.value) !== text(kept.value));
  watch([draft, changed], () => {
    if (changed.value) localStorage.setItem(key, text(draft.value));
    else {
      localStorage.removeItem(key);
      restored.value = false;
    }
  });
  useUnkept(changed, {
    header: 'Leave without saving?',
    message: () =>
      `${what} are not saved yet. They are kept in this browser, and are here again when you come back.`,
    leave: 'Leave',
  });
  return {
    draft,
    changed,
    restored,
    discard(): void {
      if (kept.value !== undefined) draft.value = copy(kept.value);
    },
    /** After `sent` was saved: the document as it is kept may say the same in other words. What was typed meanwhile stays. */
    settle(sent: T): void {
      if (kept.value !== undefined && text(draft.value) === text(sent)) draft.value = copy(kept.value);
    },
  };
}
