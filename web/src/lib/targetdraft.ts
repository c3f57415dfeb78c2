// A target while it is written: every change is kept on the server, tried on a set, and can be taken back.
import { computed, onScopeDispose, ref, shallowRef, watch, type Ref } from 'vue';

import { api, take, type Schemas } from '@/api/client';
import { tryDraft, type DraftTried, type TargetDocument, type TargetProblem } from '@/api/targets';

import { useKeeping } from './keeping';

const PAUSE = 350;
const MOST_STEPS = 200;
type Draft = Schemas['DraftView'];

export function copied<T>(value: T): T {
  return JSON.parse(JSON.stringify(value)) as T;
}

/** `look` fetches the draft as the server has it now. */
export function useTargetDraft(name: Ref<string>, look: () => Promise<Draft | null>) {
  const document = ref<TargetDocument | null>(null);
  const problems = shallowRef<TargetProblem[]>([]);
  const past = ref<string[]>([]);
  const coming = ref<string[]>([]);
  /** The newest edit that the server has told of; what is made of an older one is refused there. */
  const edit = ref(0);
  const unsaved = ref(false);
  let timer = 0;

  function load(draft: Draft): void {
    document.value = copied(draft.document) as unknown as TargetDocument;
    problems.value = draft.problems;
    edit.value = draft.edit;
    past.value = [];
    coming.value = [];
    unsaved.value = false;
  }
  /** What somebody else has made of it meanwhile: it takes the place of this one only when the person has said so. */
  let theirs: Draft | null = null;
  const { saving, waiting, keep } = useKeeping(async () => {
    theirs = await look();
    if (theirs) edit.value = theirs.edit;
  });

  async function send(): Promise<void> {
    if (!document.value || saving.value) return;
    const sent = JSON.stringify(document.value);
    const written = JSON.parse(sent) as Record<string, unknown>;
    let given: Draft | null = null;
    theirs = null;
    await keep(async () => {
      const body = { document: written, seen: edit.value };
      given = await take(
        api.PUT('/api/targets/{name}/draft', { params: { path: { name: name.value } }, body }),
      );
    }, '');
    settle(given, sent);
  }
  function settle(given: Draft | null, sent: string): void {
    if (!given) {
      if (theirs) load(theirs);
      return;
    }
    edit.value = given.edit;
    problems.value = given.problems;
    unsaved.value = JSON.stringify(document.value) !== sent;
    if (unsaved.value) later();
  }
  function later(): void {
    window.clearTimeout(timer);
    timer = window.setTimeout(() => void send(), PAUSE);
  }
  onScopeDispose(() => {
    window.clearTimeout(timer);
    if (unsaved.value) void send();
  });
  /** Change the document: one call is one step of undo. */
  function change(how: (draft: TargetDocument) => void): void {
    if (!document.value) return;
    const before = JSON.stringify(document.value);
    const next = copied(document.value);
    how(next);
    const after = JSON.stringify(next);
    if (after === before) return;
    past.value = [...past.value.slice(-MOST_STEPS), before];
    coming.value = [];
    put(after);
  }
  function put(text: string): void {
    document.value = JSON.parse(text) as TargetDocument;
    unsaved.value = true;
    later();
  }
  function undo(): void {
    const before = past.value.at(-1);
    if (before === undefined) return;
    coming.value = [...coming.value, JSON.stringify(document.value)];
    past.value = past.value.slice(0, -1);
    put(before);
  }
  function redo(): void {
    const after = coming.value.at(-1);
    if (after === undefined) return;
    past.value = [...past.value, JSON.stringify(document.value)];
    coming.value = coming.value.slice(0, -1);
    put(after);
  }
  const state = computed(() =>
    waiting.value
      ? 'The server is away; it is kept as soon as it answers.'
      : unsaved.value || saving.value
        ? 'Keeping…'
        : 'Draft kept',
  );
  return {
    document,
    problems,
    edit,
    state,
    unsaved,
    load,
    change,
    undo,
    redo,
    canUndo: computed(() => past.value.length > 0),
    canRedo: computed(() => coming.value.length > 0),
  };
}

/** A document tried on a set, whenever either changes. */
export function useTrial(document: Ref<TargetDocument | null>, set: Ref<number | null>) {
  const tried = shallowRef<DraftTried | null>(null);
  const wrong = ref('');
  let asked = 0;
  let timer = 0;
  async function ask(): Promise<void> {
    if (!document.value || set.value === null) return;
    const mine = ++asked;
    try {
      const answer = await tryDraft(set.value, document.value);
      if (mine !== asked) return;
      tried.value = answer;
      wrong.value = '';
    } catch (error) {
      if (mine === asked) wrong.value = error instanceof Error ? error.message : '';
    }
  }
  watch(
    [document, set],
    () => {
      window.clearTimeout(timer);
      timer = window.setTimeout(() => void ask(), tried.value ? PAUSE : 0);
    },
    { immediate: true },
  );
  onScopeDispose(() => window.clearTimeout(timer));
  return { tried, wrong };
}
