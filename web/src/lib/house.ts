// A project's house rules on a page that changes them: what is there, what is being written, and keeping it.
import { computed, ref, type Ref } from 'vue';

import { saveRules, useRules, type HouseRules } from '@/api/arriving';
import { useRefresh } from '@/api/queries';

import { useOvertaken } from './overtaken';
import { useSay } from './say';

export function useHouse(slug: Ref<string>) {
  const rules = useRules(slug);
  const refresh = useRefresh(slug);
  const overtaken = useOvertaken();
  const say = useSay();
  const saving = ref(false);
  /** Keep what `write` makes of the rules as they are now, as the newest version. Where somebody else was quicker, what they wrote is
   * fetched, and the change is offered again. Gives whether it was kept. */
  async function keep(write: (now: HouseRules) => HouseRules, what: string, said: string): Promise<boolean> {
    if (saving.value) return false;
    saving.value = true;
    try {
      await overtaken(
        () => {
          const now = rules.data.value;
          if (!now) throw new Error('the rules are not here yet');
          return saveRules(slug.value, now.version, write(now.rules), what);
        },
        () => rules.refetch(),
      );
      await rules.refetch();
      void refresh();
      say.done(said);
      return true;
    } catch (error) {
      say.wrong(error);
      return false;
    } finally {
      saving.value = false;
    }
  }
  return { rules, saving, keep, may: computed(() => rules.data.value?.may_edit ?? false) };
}
