// For tests of whole pages: a server made of answers, and a browser window with all that pages expect around them.
import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query';
import { flushPromises, mount } from '@vue/test-utils';
import { createPinia } from 'pinia';
import PrimeVue from 'primevue/config';
import ConfirmationService from 'primevue/confirmationservice';
import ToastService from 'primevue/toastservice';
import Tooltip from 'primevue/tooltip';
import { useConfirm } from 'primevue/useconfirm';
import { computed, h, type Component } from 'vue';
import { createMemoryHistory, createRouter } from 'vue-router';

export interface Asked {
  method: string;
  path: string;
  params?: { path?: Record<string, unknown>; query?: Record<string, unknown> };
  body?: Record<string, unknown>;
}

/** All that was asked of the server, in order. */
export const asked: Asked[] = [];
/** What the server answers, by "METHOD /path"; a Refusal is what it refuses with, and a function gives either anew each time. */
export const answers: Record<string, unknown> = {};

/** Begin anew: nothing was asked, and nothing is answered. */
export function begin(): void {
  asked.splice(0);
  localStorage.clear();
  for (const key of Object.keys(answers)) Reflect.deleteProperty(answers, key);
}

/** What was asked to be changed: everything but looking. */
export function changes(): Asked[] {
  return asked.filter(({ method }) => method !== 'GET');
}

/** What the server refuses with, as an answer. */
export class Refusal extends Error {
  constructor(
    readonly status: number,
    readonly subject: string,
    readonly problem: string,
    readonly wayOut: string,
    readonly overtaken = false,
  ) {
    super(problem);
  }
}

/** To be put in place of '@/api/client'. */
export async function fakeClient(original: () => Promise<object>): Promise<object> {
  const answer = (method: string) => (path: string, options: Omit<Asked, 'method' | 'path'>) => {
    asked.push({ method, path, ...options });
    const said = answers[`${method} ${path}`];
    const data: unknown = typeof said === 'function' ? (said as () => unknown)() : said;
    if (data instanceof Refusal) {
      const { status, subject, problem, wayOut, overtaken } = data;
      const error = { subject, problem, way_out: wayOut, overtaken };
      return Promise.resolve({ error, response: new Response(null, { status }) });
    }
    return Promise.resolve({ data, response: new Response(null, { status: 200 }) });
  };
  const methods = ['GET', 'PUT', 'POST', 'PATCH', 'DELETE'];
  return { ...(await original()), api: Object.fromEntries(methods.map((name) => [name, answer(name)])) };
}

const NAMES = [
  'board',
  'arrivals',
  'maps',
  'depot',
  'rules',
  'checks',
  'renames',
  'deliveries',
  'tolerances',
  'masters',
  'targets',
  'repack',
];

/** To be put in place of '@tanstack/vue-virtual': the test's window has no size, and so nothing would be in sight. */
export const everyRow = {
  useVirtualizer: (options: { value: { count: number } }) =>
    computed(() => ({
      getVirtualItems: () =>
        Array.from({ length: options.value.count }, (_, index) => ({ index, key: index, start: 48 * index })),
      getTotalSize: () => 48 * options.value.count,
      measureElement: () => undefined,
      scrollToIndex: () => undefined,
    })),
};

/** Open a page of the project "weir" as somebody of a role; questions that it asks before it acts are said yes to. */
export async function visit(page: Component, name: string, role: 'lead' | 'artist' | 'guest' = 'lead') {
  const empty = { template: '<i />' };
  const router = createRouter({
    history: createMemoryHistory(),
    routes: [
      ...NAMES.map((entry) => ({ path: `/projects/:slug/${entry}`, name: entry, component: empty })),
      { path: '/projects/:slug/sets/:id', name: 'set', component: empty },
      { path: '/projects/:slug/variants/:id', name: 'variant', component: empty },
      { path: '/projects/:slug/masters/:name', name: 'master', component: empty },
      { path: '/projects/:slug/targets/:name', name: 'target', component: empty },
      { path: '/account', name: 'account', component: empty },
      { path: '/', name: 'projects', component: empty },
    ],
  });
  await router.push(name === 'account' ? '/account' : name === 'projects' ? '/' : `/projects/weir/${name}`);
  answers['GET /api/projects'] ??= [{ slug: 'weir', title: 'Weir', role, questions: 0, open_files: 0 }];
  const queryClient = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  const host = {
    setup() {
      const confirm = useConfirm();
      confirm.require = (options) => options.accept?.();
      return () => h(page);
    },
  };
  const shown = mount(host, {
    global: {
      plugins: [
        PrimeVue,
        ToastService,
        ConfirmationService,
        createPinia(),
        router,
        [VueQueryPlugin, { queryClient }],
      ] as never[],
      directives: { tooltip: Tooltip, 'keep-scroll': {}, rove: {}, term: {} },
    },
    attachTo: document.body,
  });
  await flushPromises();
  return shown;
}

/** Press the button that is called so. */
export async function press(page: Awaited<ReturnType<typeof visit>>, label: string): Promise<void> {
  const button = page.findAll('button').find((entry) => entry.text() === label);
  if (!button) throw new Error(`no button “${label}” among ${page.findAll('button').map((b) => b.text())}`);
  await button.trigger('click');
  if (button.attributes('type') === 'submit')
    await button.element.closest('form')?.dispatchEvent(new Event('submit'));
  await flushPromises();
}
