import { defineStore } from 'pinia';
import { computed, reactive, ref } from 'vue';

import { ApiError, api, csrfToken, take, toApiError } from '@/api/client';
import type { Dropped } from '@/lib/drops';

const AT_ONCE = 3;

export interface Sending {
  path: string;
  bytes: number;
  sent: number;
  state: 'waiting' | 'sending' | 'sent' | 'failed';
  problem: string;
}

/** One upload at a time: files go up three abreast, then the server sorts them as a job. */
export const useUploads = defineStore('uploads', () => {
  const project = ref('');
  const sending = ref<Sending[]>([]);
  const active = ref(false);
  const failure = ref<ApiError | null>(null);
  let arrival = '';
  let requests: XMLHttpRequest[] = [];
  let stopped = false;

  const total = computed(() => sending.value.reduce((sum, entry) => sum + Math.max(1, entry.bytes), 0));
  const sent = computed(() =>
    sending.value.reduce(
      (sum, entry) => sum + (entry.state === 'sent' ? Math.max(1, entry.bytes) : entry.sent),
      0,
    ),
  );
  const share = computed(() => (total.value ? sent.value / total.value : 0));

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
    sending.value = dropped.map(({ file, path }) =>
      reactive<Sending>({ path, bytes: file.size, sent: 0, state: 'waiting', problem: '' }),
    );
    try {
      const opened = await take(api.POST('/api/projects/{slug}/arrivals', { params: { path: { slug } } }));
      arrival = opened.id;
      const queue = dropped.map((entry, index) => ({ ...entry, row: sending.value[index] as Sending }));
      await Promise.all(Array.from({ length: AT_ONCE }, () => drain(queue)));
      if (stopped) return false;
      if (!sending.value.some((entry) => entry.state === 'sent')) {
        throw new ApiError(0, 'No file', 'reached the server.', 'See that it runs, then drop them again.');
      }
      await take(api.POST('/api/arrivals/{arrival_id}/sort', { params: { path: { arrival_id: arrival } } }));
      return true;
    } catch (error) {
      failure.value = error instanceof ApiError ? error : toApiError(0, null);
      return false;
    } finally {
      active.value = false;
      requests = [];
    }
  }

  async function drain(queue: { file: File; path: string; row: Sending }[]): Promise<void> {
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

  /** Stop sending; what was sent is forgotten and nothing in the project has changed. */
  async function cancel(): Promise<void> {
    stopped = true;
    for (const request of requests) request.abort();
    sending.value = [];
    if (arrival) {
      await take(
        api.DELETE('/api/arrivals/{arrival_id}', { params: { path: { arrival_id: arrival } } }),
      ).catch(() => null);
    }
  }

  return { project, sending, active, failure, share, send, cancel };
});

function refusal(request: XMLHttpRequest): string {
  try {
    const error = toApiError(request.status, JSON.parse(request.responseText));
    return `${error.problem} ${error.wayOut}`;
  } catch {
    return 'did not reach the server. Drop it again.';
  }
}
