// The queue of changes, tied to this page: how each kind is sent, and what the page shows when it was.
import { useQueryClient } from '@tanstack/vue-query';
import { watch } from 'vue';

import {
  getSet,
  getVariant,
  sendSetChange,
  sendVariantChange,
  type SetChange,
  type VariantChange,
} from '@/api/changes';
import type { SetView, VariantView } from '@/api/client';
import { useEdits, type Edit, type Sender } from '@/stores/edits';
import { useSession } from '@/stores/session';

import { useAskAgain } from './overtaken';
import { useSay } from './say';

function idOf(edit: Edit): number {
  return Number(edit.thing.split('/')[1]);
}

/** Say how changes are sent; once for each part of the page that changes something, and by the bar on top, which is always there. */
export function useEditing() {
  const cache = useQueryClient();
  const edits = useEdits();
  const session = useSession();
  const again = useAskAgain();
  const say = useSay();

  function refresh(...keys: string[]): void {
    for (const key of keys) void cache.invalidateQueries({ queryKey: [key] });
  }
  async function look<T extends { edit: number }>(kind: string, id: number, get: (id: number) => Promise<T>) {
    const now = await get(id);
    cache.setQueryData([kind, id], now);
    return now.edit;
  }
  const senders: Record<string, Sender> = {
    set: {
      send: (edit) => sendSetChange(idOf(edit), edit.change as SetChange, edit.seen),
      saved: (edit, answer) => {
        cache.setQueryData(['set', idOf(edit)], answer as SetView);
        refresh('board', 'open-files', 'steps');
      },
      look: (edit) => look('set', idOf(edit), getSet),
    },
    variant: {
      send: async (edit) => {
        const known = cache.getQueryData<VariantView>(['variant', idOf(edit)]);
        const now = known ?? (await getVariant(idOf(edit)));
        return sendVariantChange(idOf(edit), edit.change as VariantChange, edit.seen, now);
      },
      saved: (edit, answer) => {
        cache.setQueryData(['variant', idOf(edit)], answer as VariantView);
        // A file that a free texture takes becomes a set on the way.
        const took = Object.values((edit.change as VariantChange).layers ?? {}).some(({ file }) => file);
        refresh('variants', 'steps', ...(took ? ['board', 'open-files'] : []));
      },
      look: (edit) => look('variant', idOf(edit), getVariant),
    },
  };
  const host = {
    senders,
    askAgain: (edit: Edit, said: Parameters<typeof again>[0]) => again(said, edit.what),
    refused: (_: Edit, error: unknown) => say.wrong(error),
  };
  watch(
    () => session.user,
    (user) => edits.begin(user ?? '', host),
    { immediate: true },
  );

  return {
    edits,
    /** Change a set: said as `what`, sent when it can be. */
    changeSet: (id: number, what: string, change: SetChange) =>
      edits.add(`set/${id}`, what, change, cache.getQueryData<SetView>(['set', id])?.edit ?? 0),
    changeVariant: (id: number, what: string, change: VariantChange) =>
      edits.add(`variant/${id}`, what, change, cache.getQueryData<VariantView>(['variant', id])?.edit ?? 0),
  };
}
