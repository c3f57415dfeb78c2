// What pages ask of the server, and what changes it. Server state lives in the query cache and nowhere else.
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query';
import { computed, type Ref } from 'vue';

import { api, take, type Assignment, type JobView, type SetView } from './client';

const POLL_OPEN = 400;
const POLL_IDLE = 4000;

export function isOpen(job: JobView | null | undefined): boolean {
  return job?.state === 'queued' || job?.state === 'running';
}

export function useProjects() {
  return useQuery({ queryKey: ['projects'], queryFn: () => take(api.GET('/api/projects')) });
}

export function useBoard(slug: Ref<string>) {
  return useQuery({
    queryKey: ['board', slug],
    queryFn: () => take(api.GET('/api/projects/{slug}/board', { params: { path: { slug: slug.value } } })),
  });
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

/** A project's jobs, asked for often while one is open. */
export function useJobs(slug: Ref<string>) {
  return useQuery({
    queryKey: ['jobs', slug],
    queryFn: () => take(api.GET('/api/projects/{slug}/jobs', { params: { path: { slug: slug.value } } })),
    refetchInterval: (query) => (query.state.data?.some(isOpen) ? POLL_OPEN : POLL_IDLE),
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
  return () => {
    for (const key of ['board', 'open-files', 'arrivals', 'jobs']) {
      void cache.invalidateQueries({ queryKey: [key, slug] });
    }
    void cache.invalidateQueries({ queryKey: ['set'] });
    void cache.invalidateQueries({ queryKey: ['projects'] });
  };
}

type SetChange =
  | { kind: 'assign'; property: string; body: Assignment }
  | { kind: 'clear'; property: string }
  | { kind: 'undo' }
  | { kind: 'redo' }
  | { kind: 'change'; name?: string; target?: string };

function send(setId: number, change: SetChange): Promise<SetView> {
  const path = { set_id: setId };
  switch (change.kind) {
    case 'assign':
      return take(
        api.PUT('/api/sets/{set_id}/rows/{key}', {
          params: { path: { ...path, key: change.property } },
          body: change.body,
        }),
      );
    case 'clear':
      return take(
        api.DELETE('/api/sets/{set_id}/rows/{key}', { params: { path: { ...path, key: change.property } } }),
      );
    case 'undo':
      return take(api.POST('/api/sets/{set_id}/undo', { params: { path } }));
    case 'redo':
      return take(api.POST('/api/sets/{set_id}/redo', { params: { path } }));
    case 'change':
      return take(
        api.PATCH('/api/sets/{set_id}', {
          params: { path },
          body: { name: change.name ?? null, target: change.target ?? null },
        }),
      );
  }
}

/** Change a set. The answer is the set's whole page, so the ledger shows it at once. */
export function useSetChange(id: Ref<number>, slug: Ref<string>) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (change: SetChange) => send(id.value, change),
    onSuccess: (view) => {
      cache.setQueryData(['set', view.id], view);
      for (const key of ['board', 'open-files']) void cache.invalidateQueries({ queryKey: [key, slug] });
    },
  });
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
export function useMayWork(slug: Ref<string>) {
  const projects = useProjects();
  return computed(() => {
    const role = projects.data.value?.find((project) => project.slug === slug.value)?.role;
    return role === 'artist' || role === 'lead';
  });
}
