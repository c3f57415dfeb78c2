// Keys: one place that knows which are taken, so that the help page cannot forget one.
import { onBeforeUnmount, onMounted } from 'vue';

export const KEYS: { keys: string; does: string }[] = [
  { keys: 'j / k', does: 'next and previous row' },
  { keys: '1 – 5', does: 'all colours, red, green, blue, alpha' },
  { keys: 'space', does: 'swap source and output in the well' },
  { keys: 'e', does: 'blocks on the GPU in the well; endings on arrivals' },
  { keys: 'z', does: 'whole picture or 100 %' },
  { keys: 'w', does: 'widen the well, and back' },
  { keys: 'b / p', does: 'build, prove' },
  { keys: 'shift s', does: 'save a picture of a variant' },
  { keys: 'u / shift u', does: 'undo, redo' },
  { keys: '+ / − / 0', does: 'zoom in, out, whole, on the table' },
  { keys: ', / .', does: 'half a stop darker, lighter' },
  { keys: 'm / s / c', does: 'tile once, 2 × 2, 3 × 3; seams; mark clipping' },
  { keys: 'x / d', does: 'wipe between A and B; their difference' },
  { keys: 'l', does: 'the lit shape in place of the table' },
  { keys: 'enter / 1 – 9', does: 'take the prepared answer, or another' },
  { keys: 't', does: 'keep an answer as a habit of the house' },
  { keys: '[ / ]', does: 'previous and next set' },
  { keys: '/', does: 'search the sets' },
  { keys: '?', does: 'this list' },
];

type Handlers = Record<string, (event: KeyboardEvent) => void>;

/** Whether a key press belongs to a field or a widget that uses the keyboard itself. */
export function isTyping(target: EventTarget | null): boolean {
  if (!(target instanceof HTMLElement)) return false;
  return (
    target.isContentEditable ||
    target.closest('input, textarea, select, [role=combobox], [role=listbox], [role=dialog]') !== null
  );
}

/** Listen for keys while a component is there. Keys are named as KeyboardEvent.key gives them. */
export function useKeys(handlers: Handlers): void {
  const listen = (event: KeyboardEvent) => {
    if (event.ctrlKey || event.metaKey || event.altKey || isTyping(event.target)) return;
    // Space and Enter on a focused button press that button.
    const presses = event.key === ' ' || event.key === 'Enter';
    if (presses && event.target instanceof HTMLElement && event.target.closest('button, a')) return;
    const handler = handlers[event.key];
    if (!handler) return;
    event.preventDefault();
    handler(event);
  };
  onMounted(() => window.addEventListener('keydown', listen));
  onBeforeUnmount(() => window.removeEventListener('keydown', listen));
}
