// Sets that a variant is flattened into, as pages ask for them.
import { useQuery } from '@tanstack/vue-query';
import type { Ref } from 'vue';

import { putForm } from './arriving';
import { api, take, type JobView } from './client';
import { isOpen, POLL_OPEN } from './queries';

/** The sets that a variant was flattened into, or is being. */
export function useFlat(variant: Ref<number>) {
  return useQuery({
    queryKey: ['flat', variant],
    queryFn: () =>
      take(
        api.GET('/api/variants/{variant_id}/flattenings', {
          params: { path: { variant_id: variant.value } },
        }),
      ),
    refetchInterval: (query) => (query.state.data?.some((entry) => isOpen(entry.job)) ? POLL_OPEN : false),
  });
}

/** Have a variant flattened, over a mesh in GLB where there is one. Throws an ApiError. */
export async function flatten(
  variant: number,
  name: string,
  edge: number,
  mesh: Blob | null,
): Promise<JobView> {
  const form = new FormData();
  form.set('name', name);
  form.set('edge', String(edge));
  if (mesh) form.set('file', mesh, 'mesh.glb');
  return (await putForm(`/api/variants/${variant}/flattenings`, form)) as JobView;
}
