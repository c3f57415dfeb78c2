// @vitest-environment happy-dom
// A document while it is written: whatever is typed, taken back, slow, away or overtaken, what is kept last is what is shown.
import { flushPromises, mount } from '@vue/test-utils';
import PrimeVue from 'primevue/config';
import ConfirmationService from 'primevue/confirmationservice';
import ToastService from 'primevue/toastservice';
import { useConfirm } from 'primevue/useconfirm';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';

import { ApiError } from '@/api/client';

import { useDocumentDraft, type Draft } from './documentdraft';

interface Written {
  title: string;
  rows: number[];
}
type Kept = Draft<string>;
const LONG = 60_000;
beforeEach(() => void vi.useFakeTimers());
afterEach(() => void vi.useRealTimers());

/** A server that keeps one document, and refuses what was made of an older edit. */
class Server {
  kept: Kept = { document: { title: 'Moss', rows: [] }, problems: [], edit: 1 };
  puts = 0;
  away = 0;
  /** Milliseconds until it answers. */
  slow = 0;

  /** Somebody else changes what is kept. */
  change(title: string): void {
    this.kept = { ...this.kept, document: { title, rows: [] }, edit: this.kept.edit + 1 };
  }
  put = async (document: Record<string, unknown>, seen: number): Promise<Kept> => {
    this.puts += 1;
    if (this.slow) await new Promise((resolve) => setTimeout(resolve, this.slow));
    if (this.away > 0) {
      this.away -= 1;
      throw new ApiError(0, 'The server', 'is away.', 'Wait.');
    }
    if (seen < this.kept.edit)
      throw new ApiError(409, 'The draft', 'was changed by Ada.', 'Look at it.', true);
    const problems = document.title ? [] : ['It has no title.'];
    this.kept = { document: structuredClone(document), problems, edit: this.kept.edit + 1 };
    return this.kept;
  };
}

function write(server: Server, again = true) {
  const asked: string[] = [];
  let draft!: ReturnType<typeof useDocumentDraft<Written, string>>;
  const page = mount(
    {
      setup() {
        useConfirm().require = ({ message, accept, reject }) => {
          asked.push(String(message));
          void (again ? accept : reject)?.();
        };
        draft = useDocumentDraft<Written, string>(server.put, () => Promise.resolve(server.kept));
        draft.load(server.kept);
        return () => null;
      },
    },
    { global: { plugins: [PrimeVue, ConfirmationService, ToastService] as never[] } },
  );
  return { draft, page, asked };
}
async function settled(): Promise<void> {
  await vi.advanceTimersByTimeAsync(LONG);
  await flushPromises();
}
const name = (title: string) => (written: Written) => void (written.title = title);

describe('a document that is written', () => {
  it('is kept once somebody pauses, and says what is wrong with it', async () => {
    const server = new Server();
    const { draft } = write(server);
    for (const title of ['F', 'Fe', 'Fern', '']) draft.change(name(title));
    expect([draft.state.value, server.puts]).toEqual(['Keeping…', 0]);
    await settled();
    expect(server.puts).toBe(1);
    expect([draft.state.value, draft.problems.value, draft.edit.value]).toEqual([
      'Draft kept',
      ['It has no title.'],
      2,
    ]);
    // What changes nothing is no step, and is not sent.
    draft.undo();
    draft.redo();
    draft.change(() => undefined);
    await settled();
    draft.undo();
    expect(draft.document.value?.title).toBe('Fern');
  });

  it('goes back and forth as one would expect, whatever is done, and however slow the server is', async () => {
    let seed = 7;
    const random = (most: number) => (seed = (seed * 48271) % 2147483647) % most;
    const server = new Server();
    const { draft } = write(server);
    let [past, now, coming] = [[] as string[], JSON.stringify(server.kept.document), [] as string[]];
    for (let step = 0; step < 300; step += 1) {
      const what = random(5);
      server.slow = random(3) * 400;
      if (what < 3) {
        const value = random(1000);
        draft.change((written) => void written.rows.push(value));
        const next = JSON.parse(now) as Written;
        [past, coming] = [[...past, now], []];
        now = JSON.stringify({ ...next, rows: [...next.rows, value] });
      } else if (what === 3) {
        draft.undo();
        if (past.length) [coming, now, past] = [[now, ...coming], past.at(-1) ?? '', past.slice(0, -1)];
      } else {
        draft.redo();
        if (coming.length) [past, now, coming] = [[...past, now], coming[0] ?? '', coming.slice(1)];
      }
      expect(JSON.stringify(draft.document.value)).toBe(now);
      expect([draft.canUndo.value, draft.canRedo.value]).toEqual([past.length > 0, coming.length > 0]);
      await vi.advanceTimersByTimeAsync(random(500));
    }
    await settled();
    expect(JSON.stringify(server.kept.document)).toBe(now);
    expect(draft.unsaved.value).toBe(false);
  });

  it('waits for a server that is away, and loses nothing that was typed meanwhile', async () => {
    const server = new Server();
    server.away = 3;
    const { draft } = write(server);
    draft.change(name('Fern'));
    await vi.advanceTimersByTimeAsync(1000);
    expect(draft.state.value).toContain('The server is away');
    draft.change(name('Fern bed'));
    await settled();
    expect(server.kept.document).toMatchObject({ title: 'Fern bed' });
    expect(draft.state.value).toBe('Draft kept');
  });

  it('takes the place of what somebody else has made of it only if one says so', async () => {
    for (const again of [true, false]) {
      const server = new Server();
      const { draft, asked } = write(server, again);
      server.change('Theirs');
      draft.change(name('Mine'));
      await settled();
      expect(asked).toEqual(['The draft was changed by Ada.']);
      expect(server.kept.document).toMatchObject({ title: again ? 'Mine' : 'Theirs' });
      expect(draft.document.value?.title).toBe(again ? 'Mine' : 'Theirs');
      // One's own steps do not fit what somebody else has written.
      expect(draft.canUndo.value).toBe(again);
    }
  });

  it('is kept at once when its page is left', async () => {
    const server = new Server();
    const { draft, page } = write(server);
    draft.change(name('Fern'));
    page.unmount();
    await flushPromises();
    expect(server.kept.document).toMatchObject({ title: 'Fern' });
  });
});
