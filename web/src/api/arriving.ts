// What pages ask about bringing in: questions, house rules, renames, files, the depot and the account.
import { useQueries, useQuery, useQueryClient } from '@tanstack/vue-query';
import { computed, ref, watch, type Ref } from 'vue';

import { isShort, merged } from './questions';

import { api, csrfToken, take, toApiError, type Schemas, type SetView } from './client';

export type Questions = Schemas['Questions'];
export type QuestionsChanged = Schemas['QuestionsChanged'];
export type QuestionView = Schemas['QuestionView'];
export type EndingView = Schemas['EndingView'];
export type CheckView = Schemas['CheckView'];
/** Some members of a question, by their keys and by the folders that they lie in. */
export interface Chosen {
  members: string[];
  places: string[];
}
export type RulesView = Schemas['RulesView'];
export type HouseRules = Schemas['HouseRules'];
export type Habit = Schemas['Habit'];
export type NameTried = Schemas['NameTried'];
export type RenamePlan = Schemas['RenamePlanView'];
export type RenameLine = Schemas['RenameLine'];
export type FileDetail = Schemas['FileDetail'];
export type MapLine = Schemas['MapLine'];
export type DepotMaterial = Schemas['DepotMaterial'];
export type Origin = Schemas['Origin'];

export function useQuestions(slug: Ref<string>) {
  return useQuery({
    queryKey: ['questions', slug],
    queryFn: () =>
      take(api.GET('/api/projects/{slug}/questions', { params: { path: { slug: slug.value } } })),
  });
}

/** Change the open questions. What an act changed is put into the page at once; all that may look different is asked for again. */
export function useSettle(slug: Ref<string>) {
  const cache = useQueryClient();
  const keep = async (change: QuestionsChanged): Promise<void> => {
    const key = ['questions', slug.value];
    // A page that is under way is older than this change.
    await cache.cancelQueries({ queryKey: key });
    const before = cache.getQueryData<Questions>(key);
    const now = before ? merged(before, change) : null;
    if (now) cache.setQueryData(key, now);
    if (!now) await cache.invalidateQueries({ queryKey: key });
    else if (isShort(now)) void cache.invalidateQueries({ queryKey: key });
    for (const other of ['board', 'open-files', 'rules', 'maps', 'endings']) {
      void cache.invalidateQueries({ queryKey: [other, slug] });
    }
    void cache.invalidateQueries({ queryKey: ['set'] });
  };
  return {
    /** Answer a question by its key: all of it, or the members and folders that were chosen; by what each channel `holds`, where
     * that is said instead of an answer. */
    answer: (
      key: string,
      answer: string | null,
      teach: boolean,
      chosen: Chosen | null = null,
      holds: Record<string, string> | null = null,
    ) =>
      take(
        api.POST('/api/projects/{slug}/questions/{key}/answer', {
          params: { path: { slug: slug.value, key } },
          body: {
            answer,
            teach,
            members: chosen?.members ?? null,
            places: chosen?.places ?? null,
            channels: holds,
          },
        }),
      ).then(keep),
    takeAll: (keys: string[] | null, teach: boolean) =>
      take(
        api.POST('/api/projects/{slug}/questions/prepared', {
          params: { path: { slug: slug.value } },
          body: { questions: keys, teach },
        }),
      ).then(keep),
    undo: (act: string) =>
      take(
        api.POST('/api/projects/{slug}/settled/{act}/undo', { params: { path: { slug: slug.value, act } } }),
      ).then(keep),
  };
}

/** What every class of files with one ending was taken for. */
export function useEndings(slug: Ref<string>) {
  return useQuery({
    queryKey: ['endings', slug],
    queryFn: () => take(api.GET('/api/projects/{slug}/endings', { params: { path: { slug: slug.value } } })),
  });
}

export function useChecks() {
  return useQuery({ queryKey: ['checks'], queryFn: () => take(api.GET('/api/checks')), staleTime: Infinity });
}

export function useRules(slug: Ref<string>) {
  return useQuery({
    queryKey: ['rules', slug],
    queryFn: () => take(api.GET('/api/projects/{slug}/rules', { params: { path: { slug: slug.value } } })),
  });
}

export function saveRules(slug: string, base: number, rules: HouseRules, what: string) {
  return take(
    api.PUT('/api/projects/{slug}/rules', { params: { path: { slug } }, body: { base, rules, what } }),
  );
}

export function tryNames(slug: string, rules: HouseRules, names: string[]) {
  return take(
    api.POST('/api/projects/{slug}/rules/try', { params: { path: { slug } }, body: { rules, names } }),
  );
}

export function useRenames(slug: Ref<string>) {
  return useQuery({
    queryKey: ['renames', slug],
    queryFn: () => take(api.GET('/api/projects/{slug}/renames', { params: { path: { slug: slug.value } } })),
  });
}

/** Maps that are asked for at once. */
const PAGE = 200;

/** A project's maps that fit some words, fetched in pages as they come into sight: `see` says which lines are, and a line that was
 * not fetched yet is undefined. */
export function useMaps(slug: Ref<string>, words: Ref<string>) {
  const pages = ref([0]);
  watch([slug, words], () => (pages.value = [0]));
  const found = useQueries({
    queries: computed(() =>
      pages.value.map((page) => ({
        queryKey: ['maps', slug.value, words.value, page],
        queryFn: () =>
          take(
            api.GET('/api/projects/{slug}/maps', {
              params: {
                path: { slug: slug.value },
                query: { q: words.value, offset: page * PAGE, limit: PAGE },
              },
            }),
          ),
      })),
    ),
  });
  const fetched = computed(() => found.value.flatMap((query) => (query.data ? [query.data] : [])));
  const lines = computed(() => {
    const all = Array.from<MapLine | undefined>({ length: fetched.value[0]?.total ?? 0 });
    for (const page of fetched.value) page.lines.forEach((line, index) => (all[page.offset + index] = line));
    return all;
  });
  function see(first: number, last: number): void {
    const from = Math.floor(first / PAGE);
    const wanted = Array.from({ length: Math.floor(last / PAGE) - from + 1 }, (_, index) => from + index);
    const missing = wanted.filter((page) => !pages.value.includes(page));
    if (missing.length) pages.value = [...pages.value, ...missing];
  }
  return {
    lines,
    see,
    known: computed(() => fetched.value.length > 0),
    trouble: computed(() => found.value.find((query) => query.isError)),
  };
}

export function useFile(id: Ref<number | null>) {
  return useQuery({
    queryKey: ['file', id],
    enabled: () => id.value !== null,
    queryFn: () =>
      take(api.GET('/api/files/{file_id}', { params: { path: { file_id: id.value as number } } })),
  });
}

export function useDepot(slug: Ref<string>, text: Ref<string>, category: Ref<string>) {
  return useQuery({
    queryKey: ['depot', slug, text, category],
    placeholderData: (before: Schemas['DepotView'] | undefined) => before,
    retry: false,
    queryFn: () =>
      take(
        api.GET('/api/projects/{slug}/depot', {
          params: { path: { slug: slug.value }, query: { q: text.value, category: category.value } },
        }),
      ),
  });
}

export function useAccount() {
  return useQuery({ queryKey: ['account'], queryFn: () => take(api.GET('/api/account')) });
}

/** Keep a mesh with a set; the set as it is then. Throws an ApiError that says why not. */
/** Keep a mesh with a set. Throws an ApiError. */
export async function putMesh(setId: number, file: File): Promise<SetView> {
  return (await putFile(`/api/sets/${setId}/mesh`, file)) as SetView;
}
/** Bring a model into a project. Throws an ApiError. */
export async function putModel(
  slug: string,
  file: File,
  beside: File | null = null,
): Promise<Schemas['ModelView']> {
  return (await putFile(`/api/projects/${slug}/models`, file, beside)) as Schemas['ModelView'];
}
/** Chosen files as models, each .obj with the .mtl of its name, or with the only one there is. */
export function withMaterials(files: readonly File[]): { file: File; beside: File | null }[] {
  const stem = (file: File) => file.name.toLowerCase().replace(/\.[^.]*$/, '');
  const ends = (file: File, ending: string) => file.name.toLowerCase().endsWith(ending);
  const materials = files.filter((file) => ends(file, '.mtl'));
  const models = files.filter((file) => !ends(file, '.mtl'));
  return models.map((file) => {
    const only = models.length === 1 ? materials[0] : undefined;
    const beside = ends(file, '.obj')
      ? (materials.find((material) => stem(material) === stem(file)) ?? only)
      : null;
    return { file, beside: beside ?? null };
  });
}
/** Bring an environment into the studio. Throws an ApiError that says what is wrong with it. */
export async function putEnvironment(file: File): Promise<Schemas['EnvironmentView']> {
  return (await putFile('/api/environments', file)) as Schemas['EnvironmentView'];
}
/** The materials of a glTF file, as masters to begin with. */
export async function readGltfMaterials(file: File): Promise<Schemas['GltfMaterial'][]> {
  return (await putFile('/api/sheets/gltf', file)) as Schemas['GltfMaterial'][];
}
async function putFile(where: string, file: File, beside: File | null = null): Promise<unknown> {
  const body = new FormData();
  body.append('name', file.name);
  body.append('file', file, 'upload');
  if (beside) body.append('beside', beside, 'upload');
  return putForm(where, body);
}
/** Send a form, with files in it or without. Throws an ApiError. */
export async function putForm(where: string, body: FormData): Promise<unknown> {
  const headers = { 'X-CSRFToken': csrfToken() };
  const answer = await fetch(where, { method: 'POST', body, headers }).catch(() => null);
  const said: unknown = await answer?.json().catch(() => null);
  if (!answer?.ok) throw toApiError(answer?.status ?? 0, said);
  return said;
}
