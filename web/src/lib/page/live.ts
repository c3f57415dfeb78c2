// What others do is seen on open pages: the project's pulse is taken every second or so, and what has changed is asked for again.
import { useQuery, useQueryClient } from '@tanstack/vue-query';
import { computed, watch, type Ref } from 'vue';
import { useRoute } from 'vue-router';

import { api, take } from '@/api/client';
import { useEdits } from '@/stores/edits';

const PERIOD = 1200;
/** What a change of each kind makes old. */
export const SHOWS: Record<string, string[]> = {
  jobs: ['jobs', 'bulk'],
  questions: ['questions', 'endings', 'projects'],
  arrivals: ['arrivals', 'open-files', 'cut-off', 'maps', 'renames', 'file'],
  rules: ['rules', 'tolerances', 'renames', 'maps'],
  steps: ['steps', 'record', 'notes'],
  deliveries: ['deliveries'],
  variants: ['variants', 'masters', 'master'],
  board: ['board'],
  set: ['set', 'notes', 'surface'],
  variant: ['variant'],
  people: ['members'],
};

/** The kinds whose stamps are others than before. */
export function movedKinds(before: Record<string, string>, now: Record<string, string>): string[] {
  return Object.keys(now).filter((kind) => before[kind] !== undefined && before[kind] !== now[kind]);
}

/** Whether it is a surface that could not be shown when it was asked for: one that is proved meanwhile is on its way. */
export function waitsForProof({
  queryKey,
  state,
}: {
  queryKey: readonly unknown[];
  state: { data: unknown };
}): boolean {
  if (queryKey[0] === 'surface') return (state.data as { ready?: boolean } | undefined)?.ready === false;
  return queryKey[0] === 'variant' && queryKey[2] === 'surface' && state.data === null;
}

export function useLive(slug: Ref<string>): void {
  const cache = useQueryClient();
  const route = useRoute();
  const edits = useEdits();
  const id = computed(() => Number(route.params.id));
  const asked = computed(() => ({
    set: route.name === 'set' || route.name === 'look' ? id.value : null,
    variant: route.name === 'variant' ? id.value : null,
  }));
  const pulse = useQuery({
    queryKey: ['pulse', slug, asked],
    queryFn: () =>
      take(
        api.GET('/api/projects/{slug}/pulse', {
          params: { path: { slug: slug.value }, query: asked.value },
        }),
      ),
    refetchInterval: PERIOD,
    retry: false,
  });
  watch(pulse.data, (now, before) => {
    if (!now || !before) return;
    const moved = movedKinds(before, now);
    const keys = new Set(moved.flatMap((kind) => SHOWS[kind] ?? []));
    for (const key of keys) void cache.invalidateQueries({ queryKey: [key] });
    if (moved.includes('board')) void cache.invalidateQueries({ predicate: waitsForProof });
  });
  // The server is back: what waits is sent, and what failed is asked again.
  let away = false;
  watch(pulse.errorUpdateCount, () => (away = true));
  watch(pulse.dataUpdatedAt, () => {
    if (!away) return;
    away = false;
    edits.wake();
    // What was missed meanwhile is not known.
    void cache.invalidateQueries();
  });
}
