// How far a page was scrolled is kept for each step of the browser's history, and found again by reload, back and forward.
import type { Directive } from 'vue';

const PREFIX = 'fairtexel.scroll.';
/** How long a page may take to be long enough again, in milliseconds. */
const PATIENCE = 8000;

function position(): number {
  return Number((history.state as { position?: number } | null)?.position ?? 0);
}
function keyOf(element: HTMLElement): string {
  return `${PREFIX}${position()}.${location.pathname}.${element.className.split(' ')[0] ?? ''}`;
}
/** A new way on makes old what lay ahead. */
export function forgetAhead(): void {
  for (const key of Object.keys(sessionStorage)) {
    if (key.startsWith(PREFIX) && Number(key.slice(PREFIX.length).split('.')[0]) > position())
      sessionStorage.removeItem(key);
  }
}

interface Kept extends HTMLElement {
  _letGo?: () => void;
}

export const vKeepScroll: Directive<Kept> = {
  mounted(element) {
    const key = keyOf(element);
    const wanted = Number(sessionStorage.getItem(key) ?? 0);
    const reach = (): void => {
      if (element.scrollTop !== wanted) element.scrollTop = wanted;
      if (Math.abs(element.scrollTop - wanted) < 2) stop();
    };
    const watcher = new ResizeObserver(reach);
    const changes = new MutationObserver(reach);
    const timer = window.setTimeout(() => stop(), PATIENCE);
    const stop = (): void => {
      watcher.disconnect();
      changes.disconnect();
      window.clearTimeout(timer);
    };
    // Whoever scrolls by hand decides.
    for (const kind of ['wheel', 'pointerdown', 'keydown'] as const)
      element.addEventListener(kind, stop, { passive: true, once: true });
    if (wanted) {
      watcher.observe(element);
      changes.observe(element, { childList: true, subtree: true });
      reach();
    } else stop();
    element.addEventListener(
      'scroll',
      () => sessionStorage.setItem(keyOf(element), String(Math.round(element.scrollTop))),
      { passive: true },
    );
    element._letGo = stop;
  },
  unmounted(element) {
    element._letGo?.();
  },
};
