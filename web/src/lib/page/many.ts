// Many sets at once: folders, one change of many, long work, saved views.
import { useQuery, useQueryClient } from '@tanstack/vue-query';
import type { Ref } from 'vue';

import type { Dragged } from '@/lib/page/dragging';
import { useOvertaken } from '@/lib/page/overtaken';
import { useSay } from '@/lib/page/say';

import { api, take, type Board, type Schemas } from '@/api/client';
import { isOpen, useRefresh } from '@/api/queries';

export type Action = Schemas['NewBulk']['action'];
export type BulkView = Schemas['BulkView'];
export type SetsChange = Partial<Omit<Schemas['SetsChanging'], 'sets'>>;
const POLL = 500;

/** Work on many sets; asked for often while it goes on. */
export function useBulk(id: Ref<number>) {
  return useQuery({
    queryKey: ['bulk', id],
    queryFn: () => take(api.GET('/api/bulk/{bulk_id}', { params: { path: { bulk_id: id.value } } })),
    enabled: () => id.value > 0,
    refetchInterval: (query) => (isOpen(query.state.data?.job) ? POLL : false),
  });
}

/** What people have written beside a set. */
export function useNotes(id: Ref<number>) {
  return useQuery({
    queryKey: ['notes', id],
    queryFn: () => take(api.GET('/api/sets/{set_id}/notes', { params: { path: { set_id: id.value } } })),
  });
}

export function useSavedViews(slug: Ref<string>) {
  return useQuery({
    queryKey: ['saved-views', slug],
    queryFn: () =>
      take(api.GET('/api/projects/{slug}/saved-views', { params: { path: { slug: slug.value } } })),
  });
}

/** What can be done to many sets, and to folders; each says what was done, or why not. */
export function useMany(slug: Ref<string>) {
  const refresh = useRefresh(slug);
  const cache = useQueryClient();
  const say = useSay();
  const overtaken = useOvertaken();

  const board = (): Board | undefined => cache.getQueryData(['board', slug.value]);
  async function done(asked: Promise<unknown>, said: string): Promise<boolean> {
    try {
      await asked;
      await refresh();
      say.done(said);
      return true;
    } catch (error) {
      say.wrong(error);
      return false;
    }
  }
  const path = () => ({ path: { slug: slug.value } });
  return {
    /** Change sets as one act; where somebody was quicker, what they did is shown and the change offered again. */
    change(sets: readonly number[], change: SetsChange, said: string): Promise<boolean> {
      const send = () => {
        const edits = new Map(board()?.sets.map((set) => [set.id, set.edit]));
        const none = { add_tags: [], drop_tags: [], remove: false };
        const body = { ...none, ...change, sets: sets.map((id) => ({ id, seen: edits.get(id) ?? null })) };
        return take(api.POST('/api/projects/{slug}/sets/change', { params: path(), body }));
      };
      return done(overtaken(send, refresh), said);
    },
    /** Begin long work on sets; without any on all that are not built as they are now. */
    async begin(action: Action, sets: readonly number[] | null, master = ''): Promise<BulkView | null> {
      try {
        const body = { action, sets: sets ? [...sets] : null, master };
        const made = await take(api.POST('/api/projects/{slug}/bulk', { params: path(), body }));
        cache.setQueryData(['bulk', made.id], made);
        void cache.invalidateQueries({ queryKey: ['jobs', slug.value] });
        return made;
      } catch (error) {
        say.wrong(error);
        return null;
      }
    },
    /** Sets or a folder were dropped on a folder, or (null) on the project itself. */
    drop(what: Dragged, folder: number | null): void {
      if (what.folder !== null) {
        const seen = board()?.folders.find((folder) => folder.id === what.folder)?.path;
        if (what.folder !== folder && seen !== undefined) void this.moveFolder(what.folder, folder, seen);
        return;
      }
      const now = board();
      const places = new Map(now?.sets.map((set) => [set.id, set.folder]));
      const moving = what.sets.filter((id) => places.get(id) !== folder);
      if (!moving.length) return;
      const path = now?.folders.find((entry) => entry.id === folder)?.path ?? 'the project itself';
      const count = moving.length === 1 ? '1 set' : `${moving.length} sets`;
      void this.change(moving, { place: { folder } }, `${count} moved to ${path}.`);
    },
    makeFolder: (name: string, parent: number | null) =>
      done(
        take(api.POST('/api/projects/{slug}/folders', { params: path(), body: { name, parent } })),
        `Folder ${name} is made.`,
      ),
    renameFolder: (id: number, name: string, seen: string) =>
      done(
        take(
          api.PUT('/api/projects/{slug}/folders/{folder_id}/name', {
            params: { path: { slug: slug.value, folder_id: id }, query: { seen } },
            body: { name },
          }),
        ),
        `The folder is called ${name}.`,
      ),
    moveFolder: (id: number, parent: number | null, seen: string) =>
      done(
        take(
          api.PUT('/api/projects/{slug}/folders/{folder_id}/place', {
            params: { path: { slug: slug.value, folder_id: id }, query: { seen } },
            body: { parent },
          }),
        ),
        'The folder is moved.',
      ),
    removeFolder: (id: number, name: string, seen: string) =>
      done(
        take(
          api.DELETE('/api/projects/{slug}/folders/{folder_id}', {
            params: { path: { slug: slug.value, folder_id: id }, query: { seen } },
          }),
        ),
        `Folder ${name} is removed; what lay in it lies in the folder around it.`,
      ),
    async saveView(name: string, query: string, shared: boolean): Promise<boolean> {
      const asked = take(
        api.POST('/api/projects/{slug}/saved-views', { params: path(), body: { name, query, shared } }),
      ).then((views) => cache.setQueryData(['saved-views', slug.value], views));
      return done(asked, `The view ${name} is kept.`);
    },
    async removeView(id: number): Promise<boolean> {
      const asked = take(
        api.DELETE('/api/projects/{slug}/saved-views/{view_id}', {
          params: { path: { slug: slug.value, view_id: id } },
        }),
      ).then((views) => cache.setQueryData(['saved-views', slug.value], views));
      return done(asked, 'The view is removed.');
    },
  };
}
