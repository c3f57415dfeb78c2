// A project's house rules on a page that changes them: what is there, what is being written, and keeping it.
import { computed, type Ref } from 'vue';

import { saveRules, useRules, type HouseRules } from '@/api/arriving';
import { useRefresh } from '@/api/queries';

import { useSaving } from '@/parts/drafts/saving';

export function useHouse(slug: Ref<string>) {
  const rules = useRules(slug);
  const refresh = useRefresh(slug);
  const keeping = useSaving(() => rules.refetch());
  /** Keep what `write` makes of the rules as they are now, as the newest version. Gives whether it was kept. */
  async function keep(write: (now: HouseRules) => HouseRules, what: string, said: string): Promise<boolean> {
    const send = () => {
      const now = rules.data.value;
      if (!now) throw new Error('the rules are not here yet');
      return saveRules(slug.value, now.version, write(now.rules), what);
    };
    const kept = await keeping.keep(send, said);
    if (kept) void refresh();
    return kept;
  }
  return { ...keeping, rules, keep, may: computed(() => rules.data.value?.may_edit ?? false) };
}
