// The studio's targets, and those that a project has taken, as pages ask for them.
import { useQuery, useQueryClient } from '@tanstack/vue-query';
import type { Ref } from 'vue';

import { api, csrfToken, take, toApiError, type Schemas } from './client';

export type TargetLine = Schemas['TargetLine'];
export type TargetDocument = Schemas['Target'];
export type TargetOutput = TargetDocument['outputs'][number];
export type TargetChannel = TargetOutput['channels'][number];
export type TargetProblem = Schemas['TargetProblem'];
export type TargetChange = Schemas['TargetChange'];
export type Vocabulary = Schemas['Vocabulary'];
export type OutputTried = Schemas['OutputTriedView'];
export type DraftTried = Schemas['DraftTried'];
export type PinView = Schemas['PinView'];

const KEYS = ['targets', 'target', 'project-targets', 'beginnings', 'board', 'set', 'steps'];

/** Ask anew for all that depends on targets. */
export function useTargetsRefresh() {
  const cache = useQueryClient();
  return () => Promise.all(KEYS.map((key) => cache.invalidateQueries({ queryKey: [key] })));
}
export function useTargets() {
  return useQuery({ queryKey: ['targets'], queryFn: () => take(api.GET('/api/targets')) });
}
export function useTarget(name: Ref<string>, version: Ref<number | null>) {
  return useQuery({
    queryKey: ['target', name, version],
    queryFn: () =>
      take(
        api.GET('/api/targets/{name}', {
          params: { path: { name: name.value }, query: { version: version.value } },
        }),
      ),
  });
}
export function useVocabulary() {
  return useQuery({
    queryKey: ['target-vocabulary'],
    queryFn: () => take(api.GET('/api/targets/vocabulary')),
    staleTime: Infinity,
  });
}
export function useProjectTargets(slug: Ref<string>) {
  return useQuery({
    queryKey: ['project-targets', slug],
    queryFn: () => take(api.GET('/api/projects/{slug}/targets', { params: { path: { slug: slug.value } } })),
  });
}
/** What differs between two versions; “draft” is the draft as it is after an `edit`. */
export function useTargetChanges(name: Ref<string>, old: Ref<string>, now: Ref<string>, edit: Ref<number>) {
  return useQuery({
    queryKey: ['target', name, 'changes', old, now, edit],
    queryFn: () =>
      take(
        api.GET('/api/targets/{name}/compare', {
          params: { path: { name: name.value }, query: { old: old.value, new: now.value } },
        }),
      ),
    enabled: () => !!old.value && !!now.value,
  });
}
export function readMeaning(said: string): Promise<TargetChannel> {
  return take(api.POST('/api/targets/meaning', { body: { said } }));
}
export function tryDraft(set: number, document: object): Promise<DraftTried> {
  return take(
    api.POST('/api/sets/{set_id}/draft', {
      params: { path: { set_id: set } },
      body: { document: document as Record<string, unknown> },
    }),
  );
}
/** A small picture of one output of a document, as a PNG; refused where it cannot be made. */
export async function pictureOf(set: number, document: object, place: number): Promise<Blob> {
  const answer = await fetch(`/api/sets/${set}/draft/picture`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/json', 'X-CSRFToken': csrfToken() },
    body: JSON.stringify({ document, place }),
  });
  if (!answer.ok) throw toApiError(answer.status, await answer.json().catch(() => null));
  return answer.blob();
}
