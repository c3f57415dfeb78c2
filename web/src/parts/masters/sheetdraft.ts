// A master while it is written: kept on the server, tried on sets of the project, and its rows pictured.
import { onScopeDispose, ref, shallowRef, watch, type Ref } from 'vue';

import { api, take, type Schemas } from '@/api/client';

import { useDocumentDraft } from '@/parts/drafts/documentdraft';
import type { Sheet } from './sheet';

const PAUSE = 200;
/** Rows are pictured when somebody pauses: they are many. */
const LONG_PAUSE = 600;

/** `look` fetches the draft as the server has it now. */
export function useSheetDraft(name: Ref<string>, look: () => Promise<Schemas['MasterDraftView'] | null>) {
  return useDocumentDraft<Sheet, Schemas['MasterProblem']>(
    (document, seen) =>
      take(
        api.PUT('/api/masters/{name}/draft', {
          params: { path: { name: name.value } },
          body: { document, seen },
        }),
      ),
    look,
  );
}

/** A sheet tried on sets, whenever either changes: what is wrong with it, how it looks, and what its rows hold. */
export function useSheetTrial(
  sheet: Ref<Sheet | null>,
  slug: Ref<string>,
  sets: Ref<Record<string, number>>,
) {
  const tried = shallowRef<Schemas['SheetTried'] | null>(null);
  /** The last that could be shown: a mistake while typing does not take the picture away. */
  const surface = shallowRef<Schemas['SheetSurface'] | null>(null);
  const rows = shallowRef<Schemas['RowsTried'] | null>(null);
  const away = ref('');
  let [asked, timer, later] = [0, 0, 0];

  const body = () => ({
    document: sheet.value as unknown as Record<string, unknown>,
    sets: sets.value,
    values: {},
  });
  const params = () => ({ params: { path: { slug: slug.value } } });
  async function ask(): Promise<void> {
    if (!sheet.value) return;
    const mine = ++asked;
    try {
      const answer = await take(api.POST('/api/projects/{slug}/masters/try', { ...params(), body: body() }));
      if (mine !== asked) return;
      tried.value = answer;
      surface.value = answer.surface ?? surface.value;
      away.value = '';
      window.clearTimeout(later);
      if (answer.surface) later = window.setTimeout(() => void picture(mine), rows.value ? LONG_PAUSE : 0);
    } catch (error) {
      if (mine === asked) away.value = error instanceof Error ? error.message : '';
    }
  }
  async function picture(mine: number): Promise<void> {
    try {
      const answer = await take(api.POST('/api/projects/{slug}/masters/rows', { ...params(), body: body() }));
      if (mine === asked) rows.value = answer;
    } catch {
      // The rows keep the pictures that they have; what is wrong is said at the sheet.
    }
  }
  watch(
    [sheet, sets],
    () => {
      window.clearTimeout(timer);
      timer = window.setTimeout(() => void ask(), tried.value ? PAUSE : 0);
    },
    { immediate: true },
  );
  onScopeDispose(() => {
    window.clearTimeout(timer);
    window.clearTimeout(later);
  });
  return { tried, surface, rows, away };
}
