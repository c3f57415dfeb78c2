// @vitest-environment happy-dom
// The queue of changes while the server is there, away, back, of another opinion, and while pages come and go.
import { createPinia, setActivePinia } from 'pinia';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';

import { ApiError } from '@/api/client';

import { useEdits, type Edit } from './edits';

/** What the server does with each change that is sent, in order; after the last it takes all. */
let plan: (unknown | Error)[] = [];
let sent: Edit[] = [];
let saved: string[] = [];
let refused: string[] = [];
let asked: string[] = [];
let again = true;

const AWAY = new ApiError(0, 'The server', 'does not answer.', 'Wait.');
const STARTING = new ApiError(502, 'The server', 'is just starting.', 'Wait.');
const NO = new ApiError(409, 'oak', 'has no such channel.', 'Choose another.');
const QUICKER = new ApiError(409, 'oak', 'was changed meanwhile. lead: Normal.', 'Look.', true);

const host = {
  senders: {
    set: {
      send: (edit: Edit) => {
        sent.push({ ...edit });
        const answer = plan.shift();
        return answer instanceof Error ? Promise.reject(answer) : Promise.resolve(answer);
      },
      saved: (edit: Edit) => saved.push(edit.what),
      look: () => Promise.resolve(9),
    },
  },
  askAgain: (edit: Edit) => {
    asked.push(edit.what);
    return Promise.resolve(again);
  },
  refused: (edit: Edit) => refused.push(edit.what),
};
/** A page of a user, with nothing of another page in memory but what the browser keeps. */
function page(user = 'artist') {
  setActivePinia(createPinia());
  const edits = useEdits();
  edits.begin(user, host as never);
  return edits;
}
const leave = () => window.dispatchEvent(new Event('pagehide'));
const later = (ms: number) => vi.advanceTimersByTimeAsync(ms);

beforeEach(() => {
  vi.useFakeTimers();
  localStorage.clear();
  [plan, sent, saved, refused, asked, again] = [[], [], [], [], [], true];
});
afterEach(() => {
  leave();
  vi.useRealTimers();
});

describe('changes on their way', () => {
  it('go one after the other, each once, and say when they are saved', async () => {
    const edits = page();
    const all = ['a', 'b', 'c'].map((what) => edits.add('set/7', what, {}, 3));
    expect(edits.own).toHaveLength(3);
    expect(await Promise.all(all)).toEqual([true, true, true]);
    expect(saved).toEqual(['a', 'b', 'c']);
    expect(edits.own).toHaveLength(0);
    expect(Object.keys(localStorage).filter((key) => key.includes('edit'))).toEqual([]);
  });

  it('wait while the server is away, in their order, and are tried again by themselves', async () => {
    plan = [AWAY, STARTING, AWAY];
    const edits = page();
    void edits.add('set/7', 'a', {}, 3);
    void edits.add('set/7', 'b', {}, 3);
    await later(0);
    expect([edits.own.length, edits.trouble]).toEqual([2, 'The server does not answer.']);
    await later(1000);
    expect(edits.trouble).toBe('The server is just starting.');
    await later(30_000);
    expect(sent.map(({ what }) => what)).toEqual(['a', 'a', 'a', 'a', 'b']);
    expect([saved, edits.trouble]).toEqual([['a', 'b'], '']);
  });

  it('are tried at once when the server is heard of again', async () => {
    plan = [AWAY, AWAY, AWAY, AWAY, AWAY];
    const edits = page();
    void edits.add('set/7', 'a', {}, 3);
    await later(20_000);
    const before = sent.length;
    plan = [];
    edits.wake();
    await later(0);
    expect(sent).toHaveLength(before + 1);
    expect(saved).toEqual(['a']);
  });

  it('survive a reload, and are sent by the page that comes after', async () => {
    plan = [AWAY, AWAY];
    const first = page();
    void first.add('set/7', 'a', { kind: 'clear', property: 'normal' }, 3);
    void first.add('set/7', 'b', {}, 3);
    await later(0);
    leave();
    plan = [];
    sent = [];
    page();
    await later(0);
    expect(sent.map(({ what, seen }) => [what, seen])).toEqual([
      ['a', 3],
      ['b', 3],
    ]);
    expect(sent[0]?.change).toEqual({ kind: 'clear', property: 'normal' });
  });

  it('are left to the page that they were made on while that is alive', async () => {
    plan = [AWAY, AWAY, AWAY];
    void page().add('set/7', 'a', {}, 3);
    await later(0);
    const second = page();
    await later(0);
    expect(second.own).toHaveLength(0);
  });

  it('are never sent in the name of somebody else', async () => {
    plan = [AWAY];
    void page('artist').add('set/7', 'a', {}, 3);
    await later(0);
    leave();
    const other = page('lead');
    await later(60_000);
    expect([other.own.length, sent.length]).toEqual([0, 1]);
    leave();
    expect(page('artist').own.map(({ what }) => what)).toEqual(['a']);
  });

  it('meet a newer version with a question, asked once for all that wait about the same thing', async () => {
    plan = [QUICKER];
    const edits = page();
    const all = [
      edits.add('set/7', 'a', {}, 3),
      edits.add('set/7', 'b', {}, 3),
      edits.add('set/8', 'c', {}, 1),
    ];
    expect(await Promise.all(all)).toEqual([true, true, true]);
    expect(asked).toEqual(['a']);
    expect(sent.map(({ what, seen }) => `${what}${seen}`)).toEqual(['a3', 'a9', 'b9', 'c1']);
  });

  it('are dropped when somebody leaves it at what the other one did', async () => {
    plan = [QUICKER];
    again = false;
    const edits = page();
    expect(await edits.add('set/7', 'a', {}, 3)).toBe(false);
    expect([saved, edits.own.length]).toEqual([[], 0]);
  });

  it('are refused one by one, with the reason, and do not hold up the others', async () => {
    plan = [NO];
    const edits = page();
    const all = [edits.add('set/7', 'a', {}, 3), edits.add('set/7', 'b', {}, 3)];
    expect(await Promise.all(all)).toEqual([false, true]);
    expect([refused, saved]).toEqual([['a'], ['b']]);
  });

  it('can be given up while they wait', async () => {
    plan = [AWAY];
    const edits = page();
    const one = edits.add('set/7', 'a', {}, 3);
    await later(0);
    edits.drop(edits.own[0]?.id ?? '');
    expect(await one).toBe(false);
    await later(60_000);
    expect([sent.length, edits.trouble]).toEqual([1, '']);
  });
});
