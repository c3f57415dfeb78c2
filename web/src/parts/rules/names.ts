// Names beside each other: what of the new one differs from the old.
export interface NamePart {
  text: string;
  changed: boolean;
}

/** The new name in up to three parts: what both begin with, what differs, what both end with. */
export function changedPart(old: string, now: string): NamePart[] {
  let head = 0;
  while (head < old.length && head < now.length && old[head] === now[head]) head++;
  let tail = 0;
  const most = Math.min(old.length, now.length) - head;
  while (tail < most && old[old.length - 1 - tail] === now[now.length - 1 - tail]) tail++;
  // Whole words: half a word in bold is no help.
  while (head > 0 && inWord(now, head)) head--;
  while (tail > 0 && inWord(now, now.length - tail)) tail--;
  return [
    { text: now.slice(0, head), changed: false },
    { text: now.slice(head, now.length - tail), changed: true },
    { text: now.slice(now.length - tail), changed: false },
  ].filter((part) => part.text);
}

/** Whether a place lies inside a word rather than at its edge. */
function inWord(text: string, place: number): boolean {
  return /[\p{L}\p{N}]/u.test(text[place - 1] ?? '') && /[\p{L}\p{N}]/u.test(text[place] ?? '');
}
