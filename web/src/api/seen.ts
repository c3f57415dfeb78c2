// Where the layers of a variant are seen, as pages ask for it.
import { keepPreviousData, useQuery } from '@tanstack/vue-query';
import type { Ref } from 'vue';

import { api, take, type Schemas } from './client';

export type Painted = Schemas['SeenOn'];

/** How much each layer of a variant is of it, and why one is nowhere; on the stage's own shapes, or on a mesh painted so. */
export function useSeen(variant: Ref<number | null>, edit: Ref<number>, painted?: Ref<Painted>) {
  return useQuery({
    queryKey: ['seen', variant, edit, painted],
    queryFn: () =>
      take(
        api.POST('/api/variants/{variant_id}/seen', {
          params: { path: { variant_id: variant.value ?? 0 } },
          body: painted?.value ?? { low: null, high: null },
        }),
      ),
    enabled: () => variant.value !== null,
    placeholderData: keepPreviousData,
  });
}
