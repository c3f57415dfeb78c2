// The record of a project: its last steps, undone and redone in the order in which each person took them.
import { useQuery, useQueryClient } from '@tanstack/vue-query';
import type { Ref } from 'vue';

import { useSay } from '@/lib/page/say';
import { useEdits } from '@/stores/edits';

import { api, take, type Schemas } from '@/api/client';
import { useRefresh } from '@/api/queries';
import { counted } from '@/lib/values/local';

export type StepView = Schemas['StepView'];
export type Steps = Schemas['Steps'];

export function useSteps(slug: Ref<string>) {
  return useQuery({
    queryKey: ['steps', slug],
    queryFn: () => take(api.GET('/api/projects/{slug}/steps', { params: { path: { slug: slug.value } } })),
  });
}

/** To what a step was done: to one thing, or to it and others in one act. */
export function stepAbout(step: StepView): string {
  return step.others ? `${step.name} and ${counted(step.others)} more` : step.name;
}
/** What a step did, and to what. */
export function stepWords(step: StepView): string {
  return `${step.what} (${stepAbout(step)})`;
}

export function useUndo(slug: Ref<string>) {
  const cache = useQueryClient();
  const refresh = useRefresh(slug);
  const edits = useEdits();
  const say = useSay();
  const steps = useSteps(slug);
  let last: Promise<unknown> = Promise.resolve();

  async function one(act: () => Promise<Schemas['StepDone']>, word: string): Promise<void> {
    try {
      const done = await act();
      cache.setQueryData(['steps', slug.value], done.steps);
      say.done(`${word}: ${stepWords(done.step)}`);
      void refresh();
    } catch (error) {
      say.wrong(error);
    }
  }
  /** One after the other, however fast the key is pressed. */
  function run(act: () => Promise<Schemas['StepDone']>, word: string): Promise<void> {
    const next = last.then(() => one(act, word));
    last = next;
    return next;
  }
  return {
    steps,
    /** Take back the last step; one that was not even sent is not sent. */
    async undo(): Promise<void> {
      const unsent = edits.sending ? undefined : edits.own.at(-1);
      if (unsent) {
        edits.drop(unsent.id);
        await refresh();
        say.done(`Undone: ${unsent.what}`);
        return;
      }
      const path = { slug: slug.value };
      await run(() => take(api.POST('/api/projects/{slug}/undo', { params: { path } })), 'Undone');
    },
    async redo(): Promise<void> {
      const path = { slug: slug.value };
      await run(() => take(api.POST('/api/projects/{slug}/redo', { params: { path } })), 'Redone');
    },
    async undoStep(step: StepView): Promise<void> {
      const path = { slug: slug.value, step_id: step.id };
      await run(
        () => take(api.POST('/api/projects/{slug}/steps/{step_id}/undo', { params: { path } })),
        'Undone',
      );
    },
  };
}
