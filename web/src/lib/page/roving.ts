// A list is one stop of the tab key; arrows move inside it, and the focus is announced.
import type { Directive } from 'vue';

const ITEM = '[data-rove]';

function items(list: HTMLElement): HTMLElement[] {
  return [...list.querySelectorAll<HTMLElement>(ITEM)].filter((item) => item.offsetParent !== null);
}
/** Let the tab key stop at one item alone: the current one, or the first. */
function settle(list: HTMLElement): void {
  const all = items(list);
  const current =
    all.find((item) => item === document.activeElement) ??
    all.find((item) =>
      item.matches('[aria-selected=true], [aria-pressed=true], [aria-current]:not([aria-current=false])'),
    ) ??
    all[0];
  for (const item of all) item.tabIndex = item === current ? 0 : -1;
}
function move(list: HTMLElement, event: KeyboardEvent): void {
  const target = (event.target as HTMLElement).closest<HTMLElement>(ITEM);
  if (!target || !list.contains(target) || event.ctrlKey || event.metaKey || event.altKey) return;
  // What stands in a row and uses arrows itself keeps them.
  if (
    target !== event.target &&
    (event.target as HTMLElement).matches('input, [role=slider], [role=combobox]')
  )
    return;
  const all = items(list);
  const at = all.indexOf(target);
  // A list whose items stand side by side is moved in by the arrows that point so.
  const side = list.matches('[data-across]');
  const to: Record<string, number> = {
    [side ? 'ArrowRight' : 'ArrowDown']: at + 1,
    [side ? 'ArrowLeft' : 'ArrowUp']: at - 1,
    Home: 0,
    End: all.length - 1,
  };
  const next = to[event.key];
  if (next === undefined) return;
  event.preventDefault();
  event.stopPropagation();
  all[Math.max(0, Math.min(all.length - 1, next))]?.focus();
}

interface Roving extends HTMLElement {
  _rove?: { key: (event: KeyboardEvent) => void; focus: () => void };
}

export const vRove: Directive<Roving> = {
  mounted(list) {
    list._rove = { key: (event) => move(list, event), focus: () => settle(list) };
    list.addEventListener('keydown', list._rove.key);
    list.addEventListener('focusin', list._rove.focus);
    settle(list);
  },
  updated: settle,
  unmounted(list) {
    if (!list._rove) return;
    list.removeEventListener('keydown', list._rove.key);
    list.removeEventListener('focusin', list._rove.focus);
  },
};
