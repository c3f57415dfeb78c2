// What a page of open questions is after an act, when only what the act changed is sent.
import type { Questions, QuestionsChanged } from './arriving';

/** The page after a change; null where it is not a change of this page's questions, and all have to be asked for again. */
export function merged(page: Questions, change: QuestionsChanged): Questions | null {
  if (page.stamp !== change.before) return null;
  const other = new Set([...change.gone, ...change.open.map((entry) => entry.question.key)]);
  const open = [...page.open.filter((entry) => !other.has(entry.question.key)), ...change.open];
  open.sort(
    (a, b) =>
      a.rank - b.rank ||
      b.total - a.total ||
      Number(a.question.key > b.question.key) - Number(a.question.key < b.question.key),
  );
  return { stamp: change.after, total: change.total, open, settled: change.settled };
}

/** Whether some of the open questions are not on the page: they may belong on it now. */
export function isShort(page: Questions): boolean {
  return page.open.length < page.total;
}
