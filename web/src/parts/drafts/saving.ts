// Saving a document that was written on a page, whatever is in the way: a server that is away, or somebody who was quicker.
import { onScopeDispose, ref } from 'vue';

import { isAway } from '@/api/client';

import { useOvertaken } from '@/lib/page/overtaken';
import { useSay } from '@/lib/page/say';

/** Milliseconds until a save is tried again. */
const PAUSE = 3000;

/** `look` fetches the document as the server has it now. */
export function useSaving(look: () => Promise<unknown>) {
  const overtaken = useOvertaken();
  const say = useSay();
  const saving = ref(false);
  /** The server is away: the save is tried again by itself. */
  const waiting = ref(false);
  let wake = (): void => undefined;
  let left = false;
  onScopeDispose(() => {
    left = true;
    wake();
  });
  async function patiently(send: () => Promise<unknown>): Promise<void> {
    for (;;) {
      try {
        await overtaken(send, look);
        return;
      } catch (error) {
        if (!isAway(error) || left) throw error;
        waiting.value = true;
        await new Promise<void>((resolve) => {
          const timer = window.setTimeout(resolve, PAUSE);
          wake = () => (window.clearTimeout(timer), resolve());
        });
        // What was typed stays a draft, and is here again when the person comes back.
        if (left) throw error;
      }
    }
  }
  /** Save, and say so, unless there is nothing to say. Gives whether it was saved. */
  async function keep(send: () => Promise<unknown>, said: string): Promise<boolean> {
    if (saving.value) return false;
    saving.value = true;
    try {
      await patiently(send);
      if (said) {
        await look();
        say.done(said);
      }
      return true;
    } catch (error) {
      if (!left) say.wrong(error);
      return false;
    } finally {
      saving.value = false;
      waiting.value = false;
    }
  }
  return { saving, waiting, keep };
}
