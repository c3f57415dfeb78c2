// A document of the studio while it is written, a target or a master: every change is kept on the server and can be taken back.
import { computed, onScopeDispose, ref, shallowRef } from 'vue';

import { useSaving } from './saving';

const PAUSE = 350;

/** A draft as the server tells of it. */
export interface Draft<Problem> {
  document: Record<string, unknown>;
  problems: Problem[];
  edit: number;
}

export function copied<T>(value: T): T {
  return JSON.parse(JSON.stringify(value)) as T;
}

/** `put` keeps a document that was made from an edit, `look` fetches the draft as the server has it now. */
export function useDocumentDraft<Written extends object, Problem>(
  put: (document: Record<string, unknown>, seen: number) => Promise<Draft<Problem>>,
  look: () => Promise<Draft<Problem> | null>,
) {
  const document = shallowRef<Written | null>(null);
  const problems = shallowRef<Problem[]>([]);
  const past = ref<string[]>([]);
  const coming = ref<string[]>([]);
  /** The newest edit that the server has told of; what is made of an older one is refused there. */
  const edit = ref(0);
  const unsaved = ref(false);
  let timer = 0;

  function load(draft: Draft<Problem>): void {
    document.value = copied(draft.document) as unknown as Written;
    problems.value = draft.problems;
    edit.value = draft.edit;
    past.value = [];
    coming.value = [];
    unsaved.value = false;
  }
  /** What somebody else has made of it meanwhile: it takes the place of this one only when the person has said so. */
  let theirs: Draft<Problem> | null = null;
  const { saving, waiting, keep } = useSaving(async () => {
    theirs = await look();
    if (theirs) edit.value = theirs.edit;
  });

  async function send(): Promise<void> {
    if (!document.value || saving.value) return;
    const sent = JSON.stringify(document.value);
    const written = JSON.parse(sent) as Record<string, unknown>;
    let given: Draft<Problem> | null = null;
    theirs = null;
    await keep(async () => {
      given = await put(written, edit.value);
    }, '');
    settle(given, sent);
  }
  function settle(given: Draft<Problem> | null, sent: string): void {
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
  function change(how: (draft: Written) => void): void {
    if (!document.value) return;
    const before = JSON.stringify(document.value);
    const next = copied(document.value);
    how(next);
    const after = JSON.stringify(next);
    if (after === before) return;
    past.value = [...past.value, before];
    coming.value = [];
    write(after);
  }
  function write(text: string): void {
    document.value = JSON.parse(text) as Written;
    unsaved.value = true;
    later();
  }
  function undo(): void {
    const before = past.value.at(-1);
    if (before === undefined) return;
    coming.value = [...coming.value, JSON.stringify(document.value)];
    past.value = past.value.slice(0, -1);
    write(before);
  }
  function redo(): void {
    const after = coming.value.at(-1);
    if (after === undefined) return;
    past.value = [...past.value, JSON.stringify(document.value)];
    coming.value = coming.value.slice(0, -1);
    write(after);
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
