import { defineStore } from 'pinia';
import { computed, reactive, ref } from 'vue';

import { ApiError, api, csrfToken, door, take, toApiError } from '@/api/client';
import type { Dropped } from '@/stores/drops';

import { useEdits } from './edits';

const AT_ONCE = 3;
// Larger files are sent without asking whether they are known: hashing holds a file in memory.
const LARGEST_HASHED = 256 * 1024 * 1024;
// Hashes asked about at once.
const ASKED_AT_ONCE = 400;
// How often a page that sends says so.
const BEAT = 4000;

export interface Sending {
  path: string;
  bytes: number;
  sent: number;
  state: 'waiting' | 'hashing' | 'sending' | 'sent' | 'known' | 'failed';
  problem: string;
}

interface Queued extends Dropped {
  row: Sending;
  sha256: string | null;
}

/** One upload at a time: files that the project knows by hash are not sent; the others go up three abreast, and then the
 * server sorts all as a job. An upload that was cut off goes on in the same arrival. */
export const useUploads = defineStore('uploads', () => {
  const edits = useEdits();
  const project = ref('');
  const sending = ref<Sending[]>([]);
  const active = ref(false);
  const failure = ref<ApiError | null>(null);
  /** The arrival that the next drop goes on with, and the paths that it holds already. */
  const resuming = ref<string | null>(null);
  let held = new Set<string>();
  let arrival = '';
  let beating: ReturnType<typeof setInterval> | undefined;
  let requests: XMLHttpRequest[] = [];
  let stopped = false;

  const total = computed(() => sending.value.reduce((sum, entry) => sum + Math.max(1, entry.bytes), 0));
  const sent = computed(() =>
    sending.value.reduce((sum, entry) => sum + (isThere(entry) ? Math.max(1, entry.bytes) : entry.sent), 0),
  );
  const share = computed(() => (total.value ? sent.value / total.value : 0));
  const known = computed(() => sending.value.filter((entry) => entry.state === 'known').length);

  /** Send files and ask for sorting. Gives whether sorting was asked for; what went wrong is in `failure`. */
  async function send(slug: string, dropped: Dropped[]): Promise<boolean> {
    if (dropped.length === 0) return false;
    if (active.value) {
      failure.value = new ApiError(
        0,
        'These files',
        'were not sent: others still are.',
        'Drop them again afterwards.',
      );
      return false;
    }
    project.value = slug;
    failure.value = null;
    stopped = false;
    active.value = true;
    window.addEventListener('beforeunload', warn);
    window.addEventListener('pagehide', leave);
    const missing = dropped.filter(({ path }) => !held.has(path));
    sending.value = missing.map(({ file, path }) =>
      reactive<Sending>({ path, bytes: file.size, sent: 0, state: 'waiting', problem: '' }),
    );
    try {
      arrival = resuming.value ?? (await open(slug, missing.length));
      await beat();
      beating = setInterval(() => void beat().catch(() => null), BEAT);
      const queue = missing.map<Queued>((entry, index) => ({
        ...entry,
        row: sending.value[index] as Sending,
        sha256: null,
      }));
      // Knowing spares sending; not knowing costs nothing but time.
      await passOverKnown(slug, queue).catch(() => null);
      const rest = queue.filter(({ row }) => row.state !== 'known');
      await Promise.all(Array.from({ length: AT_ONCE }, () => drain(rest)));
      if (stopped) return false;
      if (held.size === 0 && !sending.value.some(isThere)) {
        throw new ApiError(0, 'No file', 'reached the server.', 'See that it runs, then drop them again.');
      }
      await take(api.POST('/api/arrivals/{arrival_id}/sort', { params: ofThisPage() }));
      resume('', null, []);
      return true;
    } catch (error) {
      failure.value = error instanceof ApiError ? error : toApiError(0, null);
      return false;
    } finally {
      active.value = false;
      requests = [];
      clearInterval(beating);
      window.removeEventListener('beforeunload', warn);
      window.removeEventListener('pagehide', leave);
    }
  }

  async function open(slug: string, files: number): Promise<string> {
    const opened = await take(
      api.POST('/api/projects/{slug}/arrivals', {
        params: { path: { slug }, query: { page: edits.page, files } },
      }),
    );
    return opened.id;
  }

  function ofThisPage() {
    return { path: { arrival_id: arrival }, query: { page: edits.page } };
  }

  /** Say that this page is still sending: no other one may take the upload for cut off. */
  async function beat(): Promise<void> {
    await take(api.POST('/api/arrivals/{arrival_id}/beat', { params: ofThisPage() }));
  }

  function warn(event: BeforeUnloadEvent): void {
    event.preventDefault();
  }

  /** The page goes: what it was sending was cut off, and can be resumed at once. */
  function leave(): void {
    void fetch(`/api/arrivals/${arrival}/leave?page=${edits.page}`, {
      method: 'POST',
      keepalive: true,
      headers: { 'X-CSRFToken': csrfToken() },
    });
  }

  /** Hash what is small enough, ask which the project has, and put those in without sending them. */
  async function passOverKnown(slug: string, queue: Queued[]): Promise<void> {
    for (const entry of queue) {
      if (stopped || !crypto.subtle || entry.file.size === 0 || entry.file.size > LARGEST_HASHED) continue;
      entry.row.state = 'hashing';
      entry.sha256 = await sha256(entry.file).catch(() => null);
      entry.row.state = 'waiting';
    }
    const hashed = queue.filter((entry) => entry.sha256 !== null);
    for (let start = 0; start < hashed.length && !stopped; start += ASKED_AT_ONCE) {
      const some = hashed.slice(start, start + ASKED_AT_ONCE);
      const here = new Set(
        await take(
          api.POST('/api/projects/{slug}/known', {
            params: { path: { slug } },
            body: { sha256: some.map((entry) => entry.sha256 as string) },
          }),
        ),
      );
      for (const entry of some.filter(({ sha256: hash }) => hash && here.has(hash))) {
        if (stopped) return;
        await take(
          api.POST('/api/arrivals/{arrival_id}/known-files', {
            params: { path: { arrival_id: arrival } },
            body: { path: entry.path, sha256: entry.sha256 as string },
          }),
        );
        entry.row.state = 'known';
      }
    }
  }

  async function drain(queue: Queued[]): Promise<void> {
    for (let next = queue.shift(); next && !stopped; next = queue.shift())
      await put(next.file, next.path, next.row);
  }

  function put(file: File, path: string, row: Sending): Promise<void> {
    return new Promise((done) => {
      const request = new XMLHttpRequest();
      requests.push(request);
      const body = new FormData();
      body.append('path', path);
      // The name in the form is ours: the real one travels as text.
      body.append('file', file, 'upload');
      row.state = 'sending';
      request.upload.onprogress = (event) => (row.sent = Math.min(file.size, event.loaded));
      request.onloadend = () => {
        if (request.status === 401 && !stopped) {
          void door.ask?.().then((back) => (back ? put(file, path, row).then(done) : done()));
          return;
        }
        const good = request.status === 200;
        row.state = good ? 'sent' : 'failed';
        if (!good && !stopped) row.problem = refusal(request);
        done();
      };
      request.open('POST', `/api/arrivals/${arrival}/files`);
      request.setRequestHeader('X-CSRFToken', csrfToken());
      request.send(body);
    });
  }

  /** Let the next drop go on with an arrival that was cut off; null goes back to a new arrival for each drop. */
  function resume(slug: string, id: string | null, paths: string[]): void {
    project.value = slug || project.value;
    resuming.value = id;
    held = new Set(paths);
  }

  /** Stop sending; what was sent is forgotten and nothing in the project has changed. */
  async function cancel(): Promise<void> {
    stopped = true;
    for (const request of requests) request.abort();
    sending.value = [];
    resume('', null, []);
    if (arrival) {
      await take(api.DELETE('/api/arrivals/{arrival_id}', { params: ofThisPage() })).catch(() => null);
    }
  }

  const done = computed(() => sending.value.filter(isThere).length);
  return { project, sending, active, failure, share, known, done, resuming, send, resume, cancel };
});

function isThere(entry: Sending): boolean {
  return entry.state === 'sent' || entry.state === 'known';
}

async function sha256(file: File): Promise<string> {
  const digest = await crypto.subtle.digest('SHA-256', await file.arrayBuffer());
  return [...new Uint8Array(digest)].map((byte) => byte.toString(16).padStart(2, '0')).join('');
}

function refusal(request: XMLHttpRequest): string {
  try {
    const error = toApiError(request.status, JSON.parse(request.responseText));
    return `${error.problem} ${error.wayOut}`;
  } catch {
    return 'did not reach the server. Drop it again.';
  }
}
