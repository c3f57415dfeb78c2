// Where the keyboard is never gets lost: when what had the focus goes or is switched off, what stood around it takes over, and each
// page begins at its content.
import { onBeforeUnmount, onMounted } from 'vue';
import { useRouter } from 'vue-router';

const STOPS =
  'a[href], button:not(:disabled), input:not(:disabled), select:not(:disabled), textarea:not(:disabled), [tabindex]:not([tabindex="-1"])';
const REGIONS = 'section[aria-label], main, aside, form, article, [role=dialog], li, [role=row]';

function usable(element: HTMLElement): boolean {
  return element.isConnected && !element.matches(':disabled') && element.offsetParent !== null;
}
/** Give the focus to something that is no stop of the tab key by itself. */
export function focusOn(element: HTMLElement | null | undefined): void {
  if (!element) return;
  if (!element.matches(STOPS)) element.tabIndex = -1;
  element.focus({ preventScroll: true });
}
export function content(): HTMLElement | null {
  return document.getElementById('content');
}

/** Keep the focus on the page: by the frame around all pages. */
export function useFocusKept(): void {
  const router = useRouter();
  let last: HTMLElement | null = null;
  let around: HTMLElement[] = [];
  /** A page was come to whose content is not here yet. */
  let coming = false;

  function arrive(): void {
    const place = content();
    if (place) focusOn(place);
    coming = !place;
  }
  function noted(event: FocusEvent): void {
    if (!(event.target instanceof HTMLElement) || !content()?.contains(event.target)) return;
    last = event.target;
    coming = false;
    around = [];
    for (let up = last.parentElement; up && up.id !== 'app'; up = up.parentElement) around.push(up);
  }
  function keep(): void {
    if (coming && document.activeElement === document.body) arrive();
    if (!last || document.activeElement !== document.body) return;
    // It was switched off for a moment.
    if (usable(last)) return last.focus({ preventScroll: true });
    const home = around.find((element) => element.isConnected && element.offsetParent !== null);
    if (!home) return;
    last = null;
    if (home.matches(REGIONS)) focusOn(home);
    else focusOn([...home.querySelectorAll<HTMLElement>(STOPS)].find(usable) ?? home);
  }
  // Whoever points elsewhere has let go of it.
  const letGo = (): void => {
    last = null;
    coming = false;
  };
  const watcher = new MutationObserver(() => requestAnimationFrame(keep));
  const stop = router.afterEach((to, from, failure) => {
    if (failure || to.path === from.path || !from.matched.length) return;
    last = null;
    requestAnimationFrame(arrive);
  });
  onMounted(() => {
    document.addEventListener('focusin', noted);
    document.addEventListener('pointerdown', letGo, { capture: true });
    watcher.observe(document.body, {
      childList: true,
      subtree: true,
      attributes: true,
      attributeFilter: ['disabled'],
    });
  });
  onBeforeUnmount(() => {
    stop();
    watcher.disconnect();
    document.removeEventListener('focusin', noted);
    document.removeEventListener('pointerdown', letGo, { capture: true });
  });
}
