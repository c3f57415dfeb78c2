// Changes on their way to the server: sent one after the other, tried again while it is away, and kept in the browser until they are
// saved, so that neither a reload nor an outage loses what somebody has typed.
import { defineStore } from 'pinia';
import { computed, ref } from 'vue';

import { ApiError, isAway } from '@/api/client';

/** A change of one thing. `what` says it in words, `seen` is the newest edit of the thing that its page had. */
export interface Edit {
  id: string;
  user: string;
  thing: string;
  what: string;
  change: unknown;
  seen: number;
}

/** How the changes of one kind of thing are sent, and what is done with the answer. */
export interface Sender {
  send: (edit: Edit) => Promise<unknown>;
  saved: (edit: Edit, answer: unknown) => void;
  /** Fetch the thing as it is now; gives the number of its newest edit. */
  look: (edit: Edit) => Promise<number>;
}

interface Host {
  senders: Record<string, Sender>;
  /** Somebody else was quicker: whether the change is to be made all the same. */
  askAgain: (edit: Edit, said: ApiError) => Promise<boolean>;
  refused: (edit: Edit, error: unknown) => void;
}

const PREFIX = 'fairtexel.edit.';
const ALIVE = 'fairtexel.page.';
const BEAT = 2000;
/** A page in the background may beat no more than once a minute. */
const UNHEARD = 90_000;
const PAUSES = [1000, 2000, 4000, 8000, 15_000];

export const useEdits = defineStore('edits', () => {
  const page = crypto.randomUUID?.() ?? String(Math.random()).slice(2);
  const user = ref('');
  const waiting = ref<Edit[]>([]);
  /** Why nothing gets through just now, in the server's words. */
  const trouble = ref('');
  const sending = ref(false);
  const own = computed(() => waiting.value.filter((edit) => edit.user === user.value));
  const settled = new Map<string, (saved: boolean) => void>();
  let host: Host | null = null;
  let failures = 0;
  let timer: ReturnType<typeof setTimeout> | undefined;
  let count = 0;

  /** Say who sends, and go on with what was left waiting. */
  function begin(as: string, by: Host): void {
    user.value = as;
    host = by;
    adopt();
    void flush();
  }

  /** Put a change in. Settles with whether it was saved; what happens to it meanwhile is seen in `waiting`. */
  function add(thing: string, what: string, change: unknown, seen: number): Promise<boolean> {
    const edit: Edit = { id: `${page}.${++count}`, user: user.value, thing, what, change, seen };
    waiting.value.push(edit);
    keep(edit);
    const done = new Promise<boolean>((settle) => settled.set(edit.id, settle));
    void flush();
    return done;
  }

  async function flush(): Promise<void> {
    if (sending.value || !host) return;
    clearTimeout(timer);
    sending.value = true;
    try {
      for (let edit = own.value[0]; edit; edit = own.value[0]) {
        if (!(await sendOne(edit, host))) break;
      }
    } finally {
      sending.value = false;
    }
  }

  /** Send one; whether the next may follow. */
  async function sendOne(edit: Edit, by: Host): Promise<boolean> {
    const sender = by.senders[edit.thing.split('/')[0] ?? ''];
    if (!sender) {
      drop(edit.id);
      return true;
    }
    try {
      const answer = await sender.send(edit);
      failures = 0;
      trouble.value = '';
      take(edit.id, true);
      sender.saved(edit, answer);
    } catch (error) {
      if (isAway(error)) {
        trouble.value = `${error.sentence}`;
        const pause = PAUSES[Math.min(failures++, PAUSES.length - 1)];
        timer = setTimeout(() => void flush(), pause);
        return false;
      }
      if (error instanceof ApiError && error.overtaken) return overtaken(edit, error, sender, by);
      take(edit.id, false);
      by.refused(edit, error);
    }
    return true;
  }

  async function overtaken(edit: Edit, said: ApiError, sender: Sender, by: Host): Promise<boolean> {
    let newest: number;
    try {
      newest = await sender.look(edit);
    } catch {
      timer = setTimeout(() => void flush(), PAUSES[0]);
      return false;
    }
    if (await by.askAgain(edit, said)) {
      // What was seen now holds for all that waits about the same thing.
      for (const other of waiting.value.filter(({ thing }) => thing === edit.thing)) {
        other.seen = newest;
        keep(other);
      }
    } else take(edit.id, false);
    return true;
  }

  /** Try at once: somebody asks for it, or the server was heard of. */
  function wake(): void {
    if (own.value.length && !sending.value) {
      failures = 0;
      void flush();
    }
  }

  /** Give a change up. */
  function drop(id: string): void {
    take(id, false);
    if (!own.value.length) trouble.value = '';
  }

  function take(id: string, saved: boolean): void {
    waiting.value = waiting.value.filter((edit) => edit.id !== id);
    localStorage.removeItem(PREFIX + id);
    settled.get(id)?.(saved);
    settled.delete(id);
  }

  /** What waits about one thing, oldest first. */
  function about(thing: string): Edit[] {
    return own.value.filter((edit) => edit.thing === thing);
  }

  function keep(edit: Edit): void {
    try {
      localStorage.setItem(PREFIX + edit.id, JSON.stringify(edit));
    } catch {
      // A full or closed store keeps nothing over a reload; the change is sent all the same.
    }
  }

  /** Take over what pages that are gone have left. */
  function adopt(): void {
    for (const key of Object.keys(localStorage)
      .filter((name) => name.startsWith(PREFIX))
      .sort()) {
      const id = key.slice(PREFIX.length);
      const owner = id.split('.')[0] ?? '';
      const heard = Number(localStorage.getItem(ALIVE + owner) ?? 0);
      if (owner === page || Date.now() - heard < UNHEARD || waiting.value.some((edit) => edit.id === id))
        continue;
      try {
        const left = JSON.parse(localStorage.getItem(key) ?? '') as Edit;
        localStorage.removeItem(key);
        const mine = { ...left, id: `${page}.${++count}` };
        waiting.value.push(mine);
        keep(mine);
      } catch {
        localStorage.removeItem(key);
      }
    }
  }

  function beat(): void {
    localStorage.setItem(ALIVE + page, String(Date.now()));
  }
  if (typeof window !== 'undefined') {
    beat();
    setInterval(beat, BEAT);
    // A page that goes leaves what waits to the next; one that comes back from the browser's memory goes on.
    window.addEventListener('pagehide', () => {
      clearTimeout(timer);
      localStorage.removeItem(ALIVE + page);
    });
    window.addEventListener('pageshow', () => {
      beat();
      waiting.value = waiting.value.filter((edit) => localStorage.getItem(PREFIX + edit.id) !== null);
      wake();
    });
    window.addEventListener('online', wake);
  }

  return { page, waiting, own, trouble, sending, begin, add, about, drop, wake, flush };
});
