// @vitest-environment happy-dom
import { createPinia, setActivePinia } from 'pinia';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';

import { fromDrop, type Dropped } from '@/stores/drops';

import { useUploads } from './uploads';

/** What the pretended server does with each file: answer with a status, or never. */
type Plan = (path: string) => { status: number; body: string } | 'never';

let asked: string[] = [];
/** Hashes that the pretended server has; "all" stands for every one. */
let here: 'all' | string[] = [];

// The typed client takes hold of the browser's fetch when it is made: a pretended one stands in for it here.
vi.mock('@/api/client', async (original) => {
  const answer =
    (method: string) =>
    (path: string, options: { params: { path: Record<string, string> }; body?: { sha256?: string[] } }) => {
      const filled = path.replace(/{(\w+)}/g, (_, name: string) => options.params.path[name] ?? '');
      asked.push(`${method} ${filled}`);
      if (filled.endsWith('/known')) {
        const hashes = options.body?.sha256 ?? [];
        const data = hashes.filter((hash) => here === 'all' || here.includes(hash));
        return Promise.resolve({ data, response: new Response() });
      }
      return Promise.resolve({ data: { id: 'a1' }, response: new Response() });
    };
  return { ...(await original<object>()), api: { POST: answer('POST'), DELETE: answer('DELETE') } };
});
let plan: Plan = () => ({ status: 200, body: '{}' });

class FakeRequest {
  status = 0;
  responseText = '';
  upload: { onprogress?: (event: { loaded: number }) => void } = {};
  onloadend?: () => void;
  open(method: string, url: string): void {
    asked.push(`${method} ${url}`);
  }
  setRequestHeader(): void {
    /* the token is the API client's own test */
  }
  send(body: FormData): void {
    const answer = plan(String(body.get('path')));
    if (answer === 'never') return;
    queueMicrotask(() => {
      this.upload.onprogress?.({ loaded: 5 });
      this.status = answer.status;
      this.responseText = answer.body;
      this.onloadend?.();
    });
  }
  abort(): void {
    this.onloadend?.();
  }
}

function dropped(...paths: string[]): Dropped[] {
  return paths.map((path) => ({ path, file: new File(['0123456789'], path) }));
}

beforeEach(() => {
  asked = [];
  here = [];
  plan = () => ({ status: 200, body: '{}' });
  setActivePinia(createPinia());
  vi.stubGlobal('XMLHttpRequest', FakeRequest);
  document.cookie = 'csrftoken=abc';
});
afterEach(() => vi.unstubAllGlobals());

describe('an upload', () => {
  it('sends every file into one arrival and then asks for sorting', async () => {
    const uploads = useUploads();
    expect(await uploads.send('weir', dropped('a.png', 'b.png', 'c.png', 'd.png'))).toBe(true);
    expect(asked[0]).toBe('POST /api/projects/weir/arrivals');
    expect(asked.filter((entry) => entry === 'POST /api/arrivals/a1/files')).toHaveLength(4);
    expect(asked.at(-1)).toBe('POST /api/arrivals/a1/sort');
    expect(uploads.share).toBe(1);
    expect(uploads.active).toBe(false);
  });

  it('goes on when one file is refused, and says why that one was', async () => {
    const refusal = JSON.stringify({
      subject: 'b.png',
      problem: 'is larger than 2 GB.',
      way_out: 'Export it smaller.',
    });
    plan = (path) => (path === 'b.png' ? { status: 409, body: refusal } : { status: 200, body: '{}' });
    const uploads = useUploads();
    expect(await uploads.send('weir', dropped('a.png', 'b.png', 'c.png'))).toBe(true);
    const failed = uploads.sending.filter((entry) => entry.state === 'failed');
    expect(failed.map((entry) => [entry.path, entry.problem])).toEqual([
      ['b.png', 'is larger than 2 GB. Export it smaller.'],
    ]);
  });

  it('asks for nothing when no file arrived, and says so', async () => {
    plan = () => ({ status: 0, body: '' });
    const uploads = useUploads();
    expect(await uploads.send('weir', dropped('a.png'))).toBe(false);
    expect(asked).not.toContain('POST /api/arrivals/a1/sort');
    expect(uploads.failure?.wayOut).toContain('drop them again');
  });

  it('stops when it is cancelled, and the server forgets what came', async () => {
    plan = () => 'never';
    const uploads = useUploads();
    const sending = uploads.send('weir', dropped('a.png', 'b.png', 'c.png', 'd.png', 'e.png'));
    await vi.waitFor(() => expect(asked.filter((entry) => entry.endsWith('/files'))).toHaveLength(3));
    await uploads.cancel();
    expect(await sending).toBe(false);
    expect(asked.filter((entry) => entry.endsWith('/files'))).toHaveLength(3);
    expect(asked).toContain('DELETE /api/arrivals/a1');
    expect(asked).not.toContain('POST /api/arrivals/a1/sort');
    expect(uploads.sending).toEqual([]);
  });

  it('does not send what the project has already', async () => {
    here = ['84d89877f0d4041efb6bf91a16f0248f2fd573e6af05c19f96bedb9f882f7882'];
    const uploads = useUploads();
    const other = { path: 'b.png', file: new File(['something else'], 'b.png') };
    expect(await uploads.send('weir', [...dropped('a.png'), other])).toBe(true);
    expect(asked).toContain('POST /api/arrivals/a1/known-files');
    expect(asked.filter((entry) => entry.endsWith('/files'))).toHaveLength(1);
    expect(uploads.known).toBe(1);
    expect(uploads.share).toBe(1);
  });

  it('goes on in the arrival that was cut off, with what is missing', async () => {
    const uploads = useUploads();
    uploads.resume('weir', 'cut', ['a.png']);
    expect(await uploads.send('weir', dropped('a.png', 'b.png'))).toBe(true);
    expect(asked).not.toContain('POST /api/projects/weir/arrivals');
    expect(asked.filter((entry) => entry.endsWith('/files'))).toEqual(['POST /api/arrivals/cut/files']);
    expect(asked.at(-1)).toBe('POST /api/arrivals/cut/sort');
    expect(uploads.resuming).toBeNull();
  });

  it('takes one drop at a time', async () => {
    plan = () => 'never';
    const uploads = useUploads();
    const first = uploads.send('weir', dropped('a.png'));
    expect(await uploads.send('weir', dropped('b.png'))).toBe(false);
    expect(uploads.failure?.wayOut).toContain('Drop them again');
    await vi.waitFor(() => expect(asked.some((entry) => entry.endsWith('/files'))).toBe(true));
    await uploads.cancel();
    await first;
  });
});

describe('a drop', () => {
  const entryOf = (path: string) => ({
    isFile: true,
    name: path.split('/').at(-1),
    fullPath: path,
    file: (done: (file: File) => void) => done(new File(['x'], path)),
  });
  const folderOf = (name: string, batches: unknown[][]) => ({
    isFile: false,
    name,
    createReader: () => ({
      readEntries: (done: (entries: unknown[]) => void) => done(batches.shift() ?? []),
    }),
  });

  it('walks folders to the bottom, in batches, and leaves hidden files behind', async () => {
    const deep = folderOf('deep', [[entryOf('/set/deep/c.png')]]);
    const top = folderOf('set', [
      [entryOf('/set/a.png'), entryOf('/set/.hidden')],
      [entryOf('/set/b.png'), deep],
    ]);
    const items = [top, entryOf('/d.png'), null].map((entry) => ({ webkitGetAsEntry: () => entry }));
    const found = await fromDrop({ items } as unknown as DataTransfer);
    expect(found.map((entry) => entry.path).sort()).toEqual([
      'd.png',
      'set/a.png',
      'set/b.png',
      'set/deep/c.png',
    ]);
  });
});
