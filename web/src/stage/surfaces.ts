// What may stand on the stage, from what the server says of sets and variants.
import { useQueries } from '@tanstack/vue-query';
import { computed, type Ref } from 'vue';

import { api, take, type VariantView } from '@/api/client';
import { ddsUrl } from '@/lib/pictures/dds';
import { withDefaults } from '@/lib/values/variants';

import type { Dress } from './piece';
import type { Surface } from './stage';

/** A variant's surface, and whether it is in the very blocks that the engine gets: while a set of it is not proved as it is now,
 * it is shown from the sources. */
export type VariantSurface = Surface & { seen: 'built' | 'sources' };

/** A variant in the very blocks that the engine gets: all of its sets are proved. */
export function builtOf(variant: VariantView): VariantSurface {
  const pictures = variant.outputs.map((output) => ({
    holder: output.holder,
    output: output.output,
    kind: 'blocks' as const,
    url: ddsUrl(output.set_id, output.output, output.sha256),
    srgb: output.storage.srgb,
    width: output.width,
    height: output.height,
  }));
  const { shader, values, opacity, height, bent } = variant;
  return {
    ...{ seen: 'built', shader, pictures, opacity, height, bent },
    values: withDefaults(variant.parameters, values),
  };
}

/** A variant from the sources of its sets. */
export async function sourcesOf(variant: number): Promise<VariantSurface> {
  const path = { variant_id: variant };
  const surface = await take(api.GET('/api/variants/{variant_id}/surface', { params: { path } }));
  return { ...surface, seen: 'sources' };
}

/** A set's surface: from its sources now or at a moment, or as it is built for a target. */
export function surfaceQuery(
  set: number,
  edit: number,
  { target, at }: { target?: string; at?: string } = {},
) {
  return {
    queryKey: ['surface', set, edit, target ?? 'sources', at ?? ''],
    queryFn: () =>
      take(
        api.GET('/api/sets/{set_id}/surface', {
          params: {
            path: { set_id: set },
            query: { seen: target === undefined ? 'sources' : 'built', at, target },
          },
        }),
      ),
  };
}

/** A variant's surface. */
export function variantQuery(id: number) {
  return {
    queryKey: ['variant', id, 'surface'],
    queryFn: () =>
      take(api.GET('/api/variants/{variant_id}', { params: { path: { variant_id: id } } })).then((view) =>
        view.ready ? builtOf(view as VariantView) : sourcesOf(id),
      ),
  };
}

/** What a part wears: a set, a variant, or what its own file says. */
export interface Wears {
  set?: number | null;
  variant?: number | null;
  own?: boolean | null;
}

/** The surfaces of what parts wear, in their order: null where a part wears nothing, or what it wears cannot be shown yet; and
 * whether some of them are still on their way. */
export function useWorn(parts: Ref<readonly (Wears | null)[]>, edits: Ref<ReadonlyMap<number, number>>) {
  const wanted = computed(() => {
    const keys = new Map<string, Wears>();
    for (const wears of parts.value) if (wears && !wears.own) keys.set(keyOf(wears), wears);
    return [...keys.entries()];
  });
  const queries = useQueries({
    queries: computed(() =>
      wanted.value.map(([, { set, variant }]) =>
        variant
          ? variantQuery(variant)
          : {
              ...surfaceQuery(set ?? 0, edits.value.get(set ?? 0) ?? 0),
              select: (view: Surface & { ready: boolean }) => (view.ready ? view : null),
            },
      ),
    ),
  });
  const waits = computed(() => queries.value.some((query) => query.isLoading));
  const worn = computed(() => {
    const found = new Map<string, Surface | null>();
    wanted.value.forEach(([key], at) => found.set(key, (queries.value[at]?.data as Surface | null) ?? null));
    return parts.value.map<Dress>((wears) =>
      wears?.own ? 'own' : wears ? (found.get(keyOf(wears)) ?? null) : null,
    );
  });
  return { worn, waits };
}

/** What is worn as one word, to choose by. */
export function keyOf(wears: Wears | null): string {
  if (!wears) return 'nothing';
  if (wears.own) return 'own';
  return wears.variant ? `variant ${wears.variant}` : `set ${wears.set}`;
}

/** For each part without anything, what bears its name, or its material's: letters and digits alone count. */
export function byName(
  parts: readonly { name: string; material: string }[],
  choices: readonly { name: string; wears: Wears }[],
): Map<number, Wears> {
  const bare = (text: string) => text.toLowerCase().replace(/[^\p{L}\p{N}]/gu, '');
  const found = new Map<number, Wears>();
  parts.forEach((part, at) => {
    const names = [part.name, part.material].map(bare).filter((name) => name.length > 1);
    const same = choices.find(({ name }) => names.includes(bare(name)));
    // A set's name inside of a part's, or the other way round, where only one set fits.
    const near = choices.filter(({ name }) => {
      const own = bare(name);
      return (
        own.length > 3 &&
        names.some((other) => other.includes(own) || (other.length > 3 && own.includes(other)))
      );
    });
    const taken = same ?? (near.length === 1 ? near[0] : undefined);
    if (taken) found.set(at, taken.wears);
  });
  return found;
}
