// Sets and folders that are dragged inside the page, to be dropped on a folder.
const TYPE = 'application/x-fair-texel';

export interface Dragged {
  sets: number[];
  folder: number | null;
}
let now: Dragged | null = null;

export function drag(event: DragEvent, what: Dragged, label: string): void {
  if (!event.dataTransfer) return;
  now = what;
  event.dataTransfer.setData(TYPE, JSON.stringify(what));
  event.dataTransfer.setData('text/plain', label);
  event.dataTransfer.effectAllowed = 'move';
}
/** What is dragged over the page just now; null for files and all that comes from elsewhere. */
export function dragged(event: DragEvent): Dragged | null {
  return event.dataTransfer?.types.includes(TYPE) ? now : null;
}
export function ended(): void {
  now = null;
}
