// How somebody looks at the board, kept in its address: filters, order, columns, and which folders are folded.
import { computed, ref, watch, type Ref } from 'vue';
import { useRoute, useRouter } from 'vue-router';

import { useAddress } from '@/lib/page/address';
import { PLAIN, type BoardLook, type Sort } from './boardview';

const FIELDS = ['words', 'stage', 'rule', 'lacks', 'target', 'tag', 'by'] as const;
const SORTS: Sort[] = ['name', 'touched', 'worst'];
/** What stands in the address of the board and belongs to a saved view. */
const KEPT = new Set<string>([...FIELDS, 'folder', 'sort', 'columns', 'flat']);

export function useBoardLook(slug: Ref<string>) {
  const route = useRoute();
  const router = useRouter();
  const texts = Object.fromEntries(FIELDS.map((name) => [name, useAddress(name, '')])) as Record<
    (typeof FIELDS)[number],
    Ref<string>
  >;
  const folder = useAddress('folder', 0);
  const sort = useAddress<Sort>('sort', 'name', SORTS);
  const columns = useAddress<'stages' | 'coverage'>('columns', 'stages', ['stages', 'coverage']);
  const flat = useAddress('flat', false);
  const look = computed<BoardLook>(() => ({
    words: texts.words.value,
    stage: texts.stage.value,
    rule: texts.rule.value,
    lacks: texts.lacks.value,
    target: texts.target.value,
    tag: texts.tag.value,
    by: texts.by.value,
    folder: folder.value,
    sort: sort.value,
  }));
  /** Whether anything is left out. */
  const narrowed = computed(() => FIELDS.some((name) => texts[name].value) || folder.value !== PLAIN.folder);
  function set(change: Partial<BoardLook>): void {
    for (const name of FIELDS) if (change[name] !== undefined) texts[name].value = change[name];
    if (change.folder !== undefined) folder.value = change.folder;
    if (change.sort !== undefined) sort.value = change.sort;
  }
  function all(): void {
    set({ ...PLAIN, sort: sort.value });
  }
  /** The address of this view, as it is saved. */
  function query(): string {
    const kept = Object.entries(route.query).filter(
      (entry): entry is [string, string] => KEPT.has(entry[0]) && typeof entry[1] === 'string',
    );
    return new URLSearchParams(kept).toString();
  }
  function take(saved: string): void {
    const kept = [...new URLSearchParams(saved)].filter(([name]) => KEPT.has(name));
    void router.push({ name: 'board', params: { slug: slug.value }, query: Object.fromEntries(kept) });
  }
  return { look, set, all, narrowed, sort, columns, flat, query, take };
}

/** The folders that somebody has folded, kept in the browser for each project. */
export function useFolded(slug: Ref<string>) {
  const folded = ref<ReadonlySet<number>>(new Set());
  const key = computed(() => `fair-texel.folders.${slug.value}`);
  const remembered = (): Set<number> => {
    try {
      const kept: unknown = JSON.parse(localStorage.getItem(key.value) ?? '[]');
      return new Set(Array.isArray(kept) ? kept.filter((entry) => typeof entry === 'number') : []);
    } catch {
      return new Set();
    }
  };
  watch(key, () => (folded.value = remembered()), { immediate: true });
  function fold(id: number): void {
    const next = new Set(folded.value);
    if (!next.delete(id)) next.add(id);
    folded.value = next;
    localStorage.setItem(key.value, JSON.stringify([...next]));
  }
  return { folded, fold };
}
