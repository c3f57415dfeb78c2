// What pages ask of the server, and what changes it. Server state lives in the query cache and nowhere else.
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query';
import { computed, type Ref } from 'vue';

import { api, take, type JobView, type Tolerances } from './client';

const REFRESHED = [
  'models',
  'board',
  'steps',
  'rules',
  'tolerances',
  'open-files',
  'arrivals',
  'questions',
  'renames',
  'maps',
  'cut-off',
  'jobs',
  'deliveries',
  'variants',
  'project-targets',
];
export const POLL_OPEN = 400;

export function isOpen(job: JobView | null | undefined): boolean {
  return job?.state === 'queued' || job?.state === 'running';
}

export function useProjects() {
  return useQuery({ queryKey: ['projects'], queryFn: () => take(api.GET('/api/projects')) });
}

/** A project's own models by name. */
export function useModels(slug: Ref<string>) {
  return useQuery({
    queryKey: ['models', slug],
    queryFn: () => take(api.GET('/api/projects/{slug}/models', { params: { path: { slug: slug.value } } })),
  });
}

export function useBoard(slug: Ref<string | null>) {
  return useQuery({
    queryKey: ['board', slug],
    queryFn: () =>
      take(api.GET('/api/projects/{slug}/board', { params: { path: { slug: slug.value ?? '' } } })),
    enabled: () => slug.value !== null,
  });
}

/** The address of a set's small lit picture, by its number or its name; "" of one that has no maps, or is gone. */
export function useLitPictures(slug: Ref<string | null>) {
  const board = useBoard(slug);
  const known = computed(() => {
    const sets = (board.data.value?.sets ?? []).filter(({ picture }) => picture);
    const lit = sets.map(({ id, name, picture }) => ({ id, name, url: `/api/sets/${id}/lit?v=${picture}` }));
    return new Map<number | string, string>(
      lit.flatMap(({ id, name, url }) => [
        [id, url],
        [name, url],
      ]),
    );
  });
  return (set: number | string | null) => (set === null ? '' : (known.value.get(set) ?? ''));
}

export function useOpenFiles(slug: Ref<string>) {
  return useQuery({
    queryKey: ['open-files', slug],
    queryFn: () =>
      take(api.GET('/api/projects/{slug}/open-files', { params: { path: { slug: slug.value } } })),
  });
}

export function useArrivals(slug: Ref<string>) {
  return useQuery({
    queryKey: ['arrivals', slug],
    queryFn: () => take(api.GET('/api/projects/{slug}/arrivals', { params: { path: { slug: slug.value } } })),
    refetchInterval: (query) => (query.state.data?.some((entry) => isOpen(entry.job)) ? POLL_OPEN : false),
  });
}

/** A project's jobs, asked for often while one is open; the pulse tells when another begins. */
export function useJobs(slug: Ref<string>) {
  return useQuery({
    queryKey: ['jobs', slug],
    queryFn: () => take(api.GET('/api/projects/{slug}/jobs', { params: { path: { slug: slug.value } } })),
    refetchInterval: (query) => (query.state.data?.some(isOpen) ? POLL_OPEN : false),
  });
}

export function useSet(id: Ref<number>) {
  return useQuery({
    queryKey: ['set', id],
    queryFn: () => take(api.GET('/api/sets/{set_id}', { params: { path: { set_id: id.value } } })),
    refetchInterval: (query) => (isOpen(query.state.data?.job) ? POLL_OPEN : false),
  });
}

/** Everything that may look different after a job of this project has ended or a ledger has changed. */
export function useRefresh(slug: Ref<string>) {
  const cache = useQueryClient();
  return (): Promise<unknown> =>
    Promise.all([
      ...REFRESHED.map((key) => cache.invalidateQueries({ queryKey: [key, slug] })),
      ...['set', 'variant', 'model', 'projects'].map((key) => cache.invalidateQueries({ queryKey: [key] })),
    ]);
}

export function useBuild(id: Ref<number>, slug: Ref<string>) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (target: string) =>
      take(
        api.POST('/api/sets/{set_id}/builds', { params: { path: { set_id: id.value } }, body: { target } }),
      ),
    onSuccess: () => {
      void cache.invalidateQueries({ queryKey: ['set', id] });
      void cache.invalidateQueries({ queryKey: ['jobs', slug] });
    },
  });
}

export function useProve(ids: Ref<readonly number[]>, slug: Ref<string>) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (target: string) =>
      Promise.all(
        ids.value.map((id) =>
          take(api.POST('/api/sets/{set_id}/proofs', { params: { path: { set_id: id } }, body: { target } })),
        ),
      ),
    onSuccess: () => {
      for (const key of ['set', 'variant', 'board']) void cache.invalidateQueries({ queryKey: [key] });
      void cache.invalidateQueries({ queryKey: ['jobs', slug] });
    },
  });
}

export function useTolerances(slug: Ref<string>) {
  return useQuery({
    queryKey: ['tolerances', slug],
    queryFn: () =>
      take(api.GET('/api/projects/{slug}/tolerances', { params: { path: { slug: slug.value } } })),
  });
}

export function saveTolerances(slug: string, base: number, tolerances: Tolerances, what = 'Changed') {
  return take(
    api.PUT('/api/projects/{slug}/tolerances', {
      params: { path: { slug } },
      body: { base, tolerances, what },
    }),
  );
}

export function useMasters() {
  return useQuery({ queryKey: ['masters'], queryFn: () => take(api.GET('/api/masters')) });
}

export function useMaster(name: Ref<string>, version: Ref<number | null>) {
  return useQuery({
    queryKey: ['master', name, version],
    queryFn: () =>
      take(
        api.GET('/api/masters/{name}', {
          params: { path: { name: name.value }, query: { version: version.value } },
        }),
      ),
  });
}

export function useVariants(slug: Ref<string>) {
  return useQuery({
    queryKey: ['variants', slug],
    queryFn: () => take(api.GET('/api/projects/{slug}/variants', { params: { path: { slug: slug.value } } })),
  });
}

export function useVariant(id: Ref<number>) {
  return useQuery({
    queryKey: ['variant', id],
    queryFn: () =>
      take(api.GET('/api/variants/{variant_id}', { params: { path: { variant_id: id.value } } })),
    refetchInterval: ({ state: { data } }) =>
      isOpen(data?.job) || data?.files.some(({ job }) => isOpen(job)) ? POLL_OPEN : false,
  });
}

export function useDeliveries(slug: Ref<string>) {
  return useQuery({
    queryKey: ['deliveries', slug],
    queryFn: () =>
      take(api.GET('/api/projects/{slug}/deliveries', { params: { path: { slug: slug.value } } })),
    refetchInterval: (query) => (query.state.data?.some((entry) => isOpen(entry.job)) ? POLL_OPEN : false),
  });
}

export function useDeliver(slug: Ref<string>) {
  const cache = useQueryClient();
  const refresh = () => {
    for (const key of ['deliveries', 'jobs', 'board'])
      void cache.invalidateQueries({ queryKey: [key, slug] });
  };
  const deliver = useMutation({
    mutationFn: (body: { targets: string[]; sets: number[] }) =>
      take(api.POST('/api/projects/{slug}/deliveries', { params: { path: { slug: slug.value } }, body })),
    onSuccess: refresh,
  });
  const again = useMutation({
    mutationFn: (id: string) =>
      take(api.POST('/api/deliveries/{delivery_id}/receive', { params: { path: { delivery_id: id } } })),
    onSuccess: refresh,
  });
  return { deliver, again };
}

export function useJobControl(slug: Ref<string>) {
  const cache = useQueryClient();
  const refresh = () => {
    void cache.invalidateQueries({ queryKey: ['jobs', slug] });
    void cache.invalidateQueries({ queryKey: ['set'] });
    void cache.invalidateQueries({ queryKey: ['arrivals', slug] });
  };
  const cancel = useMutation({
    mutationFn: (id: string) =>
      take(api.POST('/api/jobs/{job_id}/cancel', { params: { path: { job_id: id } } })),
    onSuccess: refresh,
  });
  const retry = useMutation({
    mutationFn: (id: string) =>
      take(api.POST('/api/jobs/{job_id}/retry', { params: { path: { job_id: id } } })),
    onSuccess: refresh,
  });
  return { cancel, retry };
}

/** Whether the signed-in user may change things here. */
/** Whether the person is a lead somewhere in the studio, and so may write its masters. */
export function useMayPublish() {
  const projects = useProjects();
  return computed(() => projects.data.value?.some(({ role }) => role === 'lead') ?? false);
}
export function useMayWork(slug: Ref<string>) {
  const projects = useProjects();
  return computed(() => {
    const role = projects.data.value?.find((project) => project.slug === slug.value)?.role;
    return role === 'artist' || role === 'lead';
  });
}
