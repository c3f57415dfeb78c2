// What is chosen on a page stands in its address, so that a reload, the way back and a link to somebody else all lead to it.
import { customRef, onScopeDispose, ref, watch, type Ref } from 'vue';
import { useRoute, useRouter, type LocationQueryRaw, type Router } from 'vue-router';

type Plain = string | number | boolean;
/** Milliseconds between two changes of the address: a single choice stands in it at once, a drag now and then. */
const REST = 150;
let last = 0;

/** Changes of the query that wait to be written, for each router. */
const pending = new WeakMap<Router, { path: string; query: LocationQueryRaw; timer: number }>();
/** For each router, whether somebody is on the way to another page, which may still be loading. */
const leaving = new WeakMap<Router, { now: boolean }>();

function watchedOver(router: Router): { now: boolean } {
  const known = leaving.get(router);
  if (known) return known;
  const state = { now: false };
  leaving.set(router, state);
  router.beforeEach((to, from) => void (state.now = to.path !== from.path));
  router.afterEach(() => void (state.now = false));
  router.onError(() => void (state.now = false));
  return state;
}
function write(router: Router, name: string, value: string | undefined): void {
  const { path } = router.currentRoute.value;
  const before = pending.get(router);
  if (before) window.clearTimeout(before.timer);
  const query = { ...(before?.path === path ? before.query : {}), [name]: value };
  const pause = Math.max(0, last + REST - Date.now());
  pending.set(router, { path, query, timer: window.setTimeout(() => flush(router), pause) });
}
function flush(router: Router): void {
  const change = pending.get(router);
  // To write now would call somebody back who is on the way to another page.
  if (change && watchedOver(router).now) {
    change.timer = window.setTimeout(() => flush(router), REST);
    return;
  }
  pending.delete(router);
  const now = router.currentRoute.value;
  // The page may have been left meanwhile.
  if (!change || change.path !== now.path) return;
  window.clearTimeout(change.timer);
  last = Date.now();
  void router.replace({ query: { ...now.query, ...change.query }, hash: now.hash });
}

/** A choice of a page that stands in its address under a name, unless it is what the page shows without one. `allowed` are all that
 * it may be, where that is known. */
export function useAddress(name: string, usual: number, allowed?: readonly number[]): Ref<number>;
export function useAddress(name: string, usual: boolean): Ref<boolean>;
export function useAddress<T extends string = string>(
  name: string,
  usual: NoInfer<T>,
  allowed?: readonly T[],
): Ref<T>;
export function useAddress<T extends Plain>(name: string, usual: T, allowed?: readonly T[]): Ref<T> {
  const route = useRoute();
  const router = useRouter();
  watchedOver(router);
  const read = (): T => {
    const text = route.query[name];
    if (typeof text !== 'string') return usual;
    const value = (
      typeof usual === 'number' ? Number(text) : typeof usual === 'boolean' ? text === 'yes' : text
    ) as T;
    if (Number.isNaN(value) || (allowed && !allowed.includes(value))) return usual;
    return value;
  };
  const own = route.path;
  let current = read();
  let tell = (): void => undefined;
  const choice = customRef<T>((track, trigger) => {
    tell = trigger;
    return {
      get: () => (track(), current),
      set: (to) => {
        if (to === current) return;
        current = to;
        trigger();
        const text = typeof to === 'boolean' ? (to ? 'yes' : 'no') : String(to);
        if (route.path === own) write(router, name, to === usual ? undefined : text);
      },
    };
  });
  // A link to another choice on the same page.
  watch(
    () => route.query[name],
    () => {
      const waits = pending.get(router);
      if (route.path !== own || (waits && name in waits.query)) return;
      const now = read();
      if (now !== current) {
        current = now;
        tell();
      }
    },
  );
  return choice;
}

/** A text that goes with a person through the pages of one project, in the address of each: what the list at the side is searched for. */
export function useCarried(name: string): Ref<string> {
  const route = useRoute();
  const router = useRouter();
  watchedOver(router);
  const read = (query: LocationQueryRaw): string => (typeof query[name] === 'string' ? query[name] : '');
  const text = ref(read(route.query));
  watch(text, (now) => write(router, name, now || undefined));
  watch(
    () => read(route.query),
    (now) => {
      if (!(name in (pending.get(router)?.query ?? {}))) text.value = now;
    },
  );
  const stop = router.beforeEach((to, from) => {
    const same = to.params.slug !== undefined && to.params.slug === from.params.slug;
    // The way back returns to what was searched for then.
    if (!same || to.path === from.path || !text.value || name in to.query) return true;
    return { ...to, query: { ...to.query, [name]: text.value } };
  });
  onScopeDispose(stop);
  return text;
}
