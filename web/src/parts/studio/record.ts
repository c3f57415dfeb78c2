// The record in words, and where each of its lines leads.
import type { RouteLocationRaw } from 'vue-router';

import { DEEDS } from '@/api/deeds.generated';
import type { StepView } from '@/lib/page/steps';
import type { StepKind } from '@/api/studio';
import { timeWords, weekdayWords } from '@/lib/values/local';

/** What kinds of deeds are called in the filter, in its order. */
export const KINDS: { kinds: StepKind[]; text: string }[] = [...new Set(DEEDS.map(({ group }) => group))].map(
  (text) => ({ text, kinds: DEEDS.filter(({ group }) => group === text).map(({ key }) => key) }),
);

/** The page of what a step is about; null where it is gone. */
export function whereOf(step: StepView, slug: string): RouteLocationRaw | null {
  const gone = step.what === 'Removed' && !step.undone;
  if (step.kind === 'variant' || step.kind === 'set')
    return gone ? null : { name: step.kind, params: { slug, id: step.thing } };
  if (step.kind === 'master') return { name: 'master', params: { slug, name: step.thing } };
  if (step.set_id !== null) return { name: 'set', params: { slug, id: step.set_id } };
  const page = DEEDS.find(({ key }) => key === step.kind)?.page;
  return page ? { name: page, params: { slug } } : null;
}

export function timeOf(at: string): string {
  return timeWords(at);
}
/** The day of a step, in words. */
export function dayOf(at: string, now = new Date()): string {
  const day = new Date(at);
  const days = Math.round((midnight(now) - midnight(day)) / 86_400_000);
  if (days === 0) return 'Today';
  if (days === 1) return 'Yesterday';
  return weekdayWords(day);
}
function midnight(at: Date): number {
  return new Date(at.getFullYear(), at.getMonth(), at.getDate()).getTime();
}
