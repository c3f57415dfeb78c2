// What else may stand beside a set on the stage: as it is built, as it was, or another set; fetched when it is asked for.
import { useQuery } from '@tanstack/vue-query';
import { computed, ref, type Ref } from 'vue';

import { api, take, type SetView } from '@/api/client';
import { useBoard, useVariants } from '@/api/queries';
import { useProjectTargets } from '@/api/targets';
import { momentWords } from '@/lib/values/local';

import type { Surface } from './stage';
import { surfaceQuery, variantQuery } from './surfaces';

/** Choices in groups. */
export type Others = readonly { title: string; choices: readonly { key: string; text: string }[] }[];

/** What may stand beside a set, and the surface of the one that `asked` names. */
export function useBeside(set: Ref<SetView>, slug: Ref<string>) {
  const asked = ref('');
  const targets = useProjectTargets(slug);
  const board = useBoard(slug);
  const moments = useQuery(
    computed(() => ({
      queryKey: ['moments', set.value.id, set.value.edit],
      queryFn: () =>
        take(api.GET('/api/sets/{set_id}/moments', { params: { path: { set_id: set.value.id } } })),
    })),
  );
  const others = computed<Others>(() =>
    [
      {
        title: 'Built and proved',
        choices: (targets.data.value?.targets ?? []).map(({ name, title }) => ({
          key: `target:${name}`,
          text: `As built for ${title}`,
        })),
      },
      {
        title: 'As it was',
        choices: (moments.data.value ?? []).slice(1).map(({ at, by }, before) => ({
          key: `at:${at}`,
          // What was undone by the next change is what somebody looks for.
          text: `Before: ${moments.data.value?.[before]?.what ?? ''} (${momentWords(at)}, ${by})`,
        })),
      },
      {
        title: 'Another set',
        choices: (board.data.value?.sets ?? [])
          .filter((entry) => entry.id !== set.value.id)
          .map((set) => ({ key: `set:${set.id}`, text: set.name })),
      },
    ].filter((group) => group.choices.length),
  );
  const wanted = computed(() => {
    const [kind, ...rest] = asked.value.split(':');
    const what = rest.join(':');
    const { id, edit } = set.value;
    if (kind === 'target') return surfaceQuery(id, edit, { target: what });
    if (kind === 'at') return surfaceQuery(id, edit, { at: what });
    if (kind !== 'set') return null;
    const other = board.data.value?.sets.find((set) => set.id === Number(what));
    return surfaceQuery(Number(what), other?.edit ?? 0);
  });
  const query = useQuery(
    computed(() => ({ ...(wanted.value ?? surfaceQuery(0, 0)), enabled: wanted.value !== null })),
  );
  const found = computed(() => (wanted.value ? query.data.value : undefined));
  const other = computed<Surface | null>(() => (found.value?.ready ? found.value : null));
  /** Why what was asked for cannot be seen, in a whole sentence; "" while it can. */
  const why = computed(() => {
    if (found.value && !found.value.ready)
      return `The set is not proved as it is now for ${found.value.target}: there are no blocks to show.`;
    return query.isError.value && wanted.value ? 'What was to stand beside it cannot be fetched.' : '';
  });
  return { asked, others, other, why };
}

/** What may stand beside a variant: the project's other variants. */
export function useVariantBeside(id: number, slug: Ref<string>) {
  const asked = ref('');
  const variants = useVariants(slug);
  const others = computed<Others>(() => {
    const rest = (variants.data.value ?? []).filter((variant) => variant.id !== id);
    const choices = rest.map((entry) => ({
      key: String(entry.id),
      text: `${entry.name}, ${entry.master_title} v${entry.version}`,
    }));
    return choices.length ? [{ title: 'Another variant', choices }] : [];
  });
  const query = useQuery(
    computed(() => ({ ...variantQuery(Number(asked.value)), enabled: asked.value !== '' })),
  );
  const other = computed(() => (asked.value ? (query.data.value ?? null) : null));
  const why = computed(() =>
    asked.value && query.data.value?.seen === 'sources'
      ? 'The other one is shown from its sources: a set of it is not proved as it is now.'
      : '',
  );
  return { asked, others, other, why };
}
