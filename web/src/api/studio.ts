// Projects, people and the record, as pages ask for them.
import { useInfiniteQuery, useQuery } from '@tanstack/vue-query';
import type { Ref } from 'vue';

import { api, take, type Schemas } from './client';

export type ProjectLine = Schemas['ProjectLine'];
export type ProjectPeople = Schemas['ProjectPeople'];
export type RoleName = Schemas['RoleChange']['role'];
export type PersonLine = Schemas['PersonLine'];
export type StepKind = Schemas['StepView']['kind'];

export const ROLES: { value: RoleName; text: string; about: string }[] = [
  { value: 'guest', text: 'guest', about: 'looks at everything and changes nothing' },
  { value: 'artist', text: 'artist', about: 'brings maps in, works on sets, builds and delivers' },
  {
    value: 'lead',
    text: 'lead',
    about: 'also sets rules and tolerances, publishes masters, and invites people',
  },
];

export function useBeginnings() {
  return useQuery({ queryKey: ['beginnings'], queryFn: () => take(api.GET('/api/beginnings')) });
}
export function useMembers(slug: Ref<string>) {
  return useQuery({
    queryKey: ['members', slug],
    queryFn: () => take(api.GET('/api/projects/{slug}/people', { params: { path: { slug: slug.value } } })),
  });
}
export function usePeople() {
  return useQuery({ queryKey: ['people'], queryFn: () => take(api.GET('/api/studio/people')) });
}
export function usePerson(id: Ref<number | null>) {
  return useQuery({
    queryKey: ['person', id],
    queryFn: () =>
      take(api.GET('/api/studio/people/{user_id}', { params: { path: { user_id: id.value ?? 0 } } })),
    enabled: () => id.value !== null,
  });
}

export function useSpace() {
  return useQuery({ queryKey: ['space'], queryFn: () => take(api.GET('/api/studio/space')) });
}

export interface RecordAsked {
  kinds: StepKind[];
  by: string;
  words: string;
  set: number | null;
  /** What was done in one act: all of it, thing by thing. */
  act: string | null;
}
/** The record of a project, or without one the studio's; page by page, newest first. */
export function useRecord(
  slug: Ref<string | null>,
  asked: Ref<RecordAsked>,
  enabled: Ref<boolean> | boolean = true,
) {
  return useInfiniteQuery({
    enabled,
    queryKey: ['record', slug, asked],
    initialPageParam: null as number | null,
    queryFn: ({ pageParam }) => {
      const query = { ...asked.value, before: pageParam };
      return take(
        slug.value
          ? api.GET('/api/projects/{slug}/record', { params: { path: { slug: slug.value }, query } })
          : api.GET('/api/studio/record', { params: { query } }),
      );
    },
    getNextPageParam: (page) => (page.more ? page.steps.at(-1)?.id : undefined),
  });
}
