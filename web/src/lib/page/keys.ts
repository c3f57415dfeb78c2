// Actions with their keys: one table, from which the list of keys and the palette are made, so that neither can forget one.
import { markRaw, onBeforeUnmount, onMounted, shallowReactive } from 'vue';

interface Entry {
  /** As KeyboardEvent.key gives it; several do the same. */
  keys: readonly string[];
  does: string;
  /** In which part of the list it stands. */
  where: Where;
  /** How its key is written, where that is another way. */
  shown?: string;
  /** Not for the palette: it moves what the keyboard is at already, or is one of many alike. */
  aside?: boolean;
}
export type Where =
  'everywhere' | 'the board' | 'a set' | 'maps closely' | 'a variant' | 'arrivals' | 'lists';

const VIEW_KEYS = ['all colours', 'red', 'green', 'blue', 'alpha'] as const;
export const ACTIONS = {
  palette: {
    keys: [],
    shown: 'ctrl k',
    does: 'Find any action by its name',
    where: 'everywhere',
    aside: true,
  },
  help: { keys: ['?'], does: 'Keys and words', where: 'everywhere' },
  undo: { keys: ['u'], does: 'Undo your last step', where: 'everywhere' },
  redo: { keys: ['U'], shown: 'shift u', does: 'Redo', where: 'everywhere' },
  search: { keys: ['/'], does: 'Search', where: 'everywhere' },
  nextSet: { keys: [']'], does: 'Next set', where: 'everywhere' },
  previousSet: { keys: ['['], does: 'Previous set', where: 'everywhere' },
  filter: { keys: ['f'], does: 'Find sets on the board', where: 'the board' },
  chooseRow: { keys: ['x'], does: 'Choose the row, or not', where: 'the board', aside: true },
  chooseAll: {
    keys: ['X'],
    shown: 'shift x',
    does: 'Choose all sets that are shown, or none',
    where: 'the board',
  },
  moveSets: { keys: ['m'], does: 'Move the chosen sets to a folder', where: 'the board' },
  tagSets: { keys: ['t'], does: 'Tag the chosen sets', where: 'the board' },
  buildStale: { keys: ['B'], shown: 'shift b', does: 'Build what is not built', where: 'the board' },
  newFolder: { keys: ['N'], shown: 'shift n', does: 'New folder', where: 'the board' },
  unchoose: { keys: ['Escape'], shown: 'esc', does: 'Choose none', where: 'the board', aside: true },
  next: { keys: ['j'], does: 'Next row', where: 'lists', aside: true },
  previous: { keys: ['k'], does: 'Previous row', where: 'lists', aside: true },
  open: { keys: ['Enter'], shown: 'enter', does: 'Open the row', where: 'lists', aside: true },
  rename: { keys: ['F2'], shown: 'f2', does: 'Rename', where: 'a set' },
  build: { keys: ['b'], does: 'Build', where: 'a set' },
  prove: { keys: ['p'], does: 'Prove', where: 'a set' },
  deliver: { keys: ['D'], shown: 'shift d', does: 'Deliver', where: 'a set' },
  closely: { keys: ['o'], does: 'Look closely at the map of the row', where: 'a set' },
  swapWell: { keys: [' '], shown: 'space', does: 'Swap source and output', where: 'a set' },
  blocks: { keys: ['e'], does: 'Blocks on the GPU, or the picture', where: 'a set' },
  full: { keys: ['z'], does: 'Whole picture, or 100 %', where: 'a set' },
  widen: { keys: ['w'], does: 'Widen the well, and back', where: 'a set' },
  ...Object.fromEntries(
    VIEW_KEYS.map((view, index) => [
      `view${index + 1}`,
      { keys: [String(index + 1)], does: `Show ${view}`, where: 'a set' },
    ]),
  ),
  swap: { keys: [' '], shown: 'space', does: 'Swap A and B', where: 'maps closely' },
  wipe: { keys: ['x'], does: 'Wipe between A and B', where: 'maps closely' },
  difference: { keys: ['d'], does: 'Difference of A and B', where: 'maps closely' },
  clipping: { keys: ['c'], does: 'Mark clipped texels', where: 'maps closely' },
  tiling: { keys: ['m'], does: 'Tile once, 2 × 2, 3 × 3', where: 'maps closely' },
  seams: { keys: ['s'], does: 'Where four tiles meet', where: 'maps closely' },
  lit: { keys: ['l'], does: 'The lit shape large, and back', where: 'maps closely' },
  darker: { keys: [','], does: 'Half a stop darker', where: 'maps closely' },
  lighter: { keys: ['.'], does: 'Half a stop lighter', where: 'maps closely' },
  zoomIn: { keys: ['+', '='], does: 'Zoom in', where: 'maps closely' },
  zoomOut: { keys: ['-'], shown: '−', does: 'Zoom out', where: 'maps closely' },
  zoomFit: { keys: ['0'], does: 'Whole picture', where: 'maps closely' },
  zoomOne: { keys: ['z'], does: 'One screen pixel a texel', where: 'maps closely' },
  savePicture: { keys: ['S'], shown: 'shift s', does: 'Save a picture', where: 'a variant' },
  turn: { keys: ['l'], does: 'Turn the light, or stop', where: 'a variant' },
  endings: { keys: ['e'], does: 'Endings, or questions', where: 'arrivals' },
  prepared: { keys: ['Enter'], shown: 'enter', does: 'Take the prepared answer', where: 'arrivals' },
  ...Object.fromEntries(
    Array.from({ length: 9 }, (_, index) => [
      `answer${index + 1}`,
      { keys: [String(index + 1)], does: `Take answer ${index + 1}`, where: 'arrivals', aside: true },
    ]),
  ),
  teach: { keys: ['t'], does: 'Keep the answer as a habit of the house', where: 'arrivals' },
  back: { keys: ['Escape'], shown: 'esc', does: 'Leave a large view', where: 'lists', aside: true },
} as Record<string, Entry>;

export function keyOf(entry: Entry): string {
  return entry.shown ?? entry.keys[0] ?? '';
}

/** What the list of keys says, by its parts: what is alike is said once. */
export function listed(): { where: Where; lines: { keys: string; does: string }[] }[] {
  const parts = new Map<Where, { keys: string; does: string }[]>();
  for (const [id, entry] of Object.entries(ACTIONS)) {
    if (/^(view|answer)[2-9]$/.test(id)) continue;
    const line =
      id === 'view1'
        ? { keys: '1 – 5', does: 'All colours, red, green, blue, alpha' }
        : id === 'answer1'
          ? { keys: '1 – 9', does: 'Take another answer' }
          : { keys: keyOf(entry), does: entry.does };
    parts.set(entry.where, [...(parts.get(entry.where) ?? []), line]);
  }
  return [...parts].map(([where, lines]) => ({ where, lines }));
}

type Run = () => unknown;
/** What an action gives that has nothing to do just now: the key is left to whoever else knows it. */
export const PASS = Symbol('pass');
interface Offered {
  id: string;
  entry: Entry;
  run: Run;
}
/** The actions that the parts on the page offer just now; the newest part comes first. */
const offered = shallowReactive<{ of: Offered[] }[]>([]);

export function offeredNow(): Offered[] {
  const seen = new Set<string>();
  const all = [...offered].reverse().flatMap((part) => part.of);
  return all.filter(({ id }) => !seen.has(id) && seen.add(id));
}

/** All that takes text, or will at the first letter: fields, open lists, and cells that are written by typing, which mark
 * themselves so. A list that is closed takes none: letters stay what they are elsewhere. */
export const TAKES_TEXT = [
  'input:not([type=checkbox], [type=radio], [type=range], [type=color])',
  'textarea',
  'select',
  '[contenteditable=true]',
  '[role=textbox]',
  'input[role=combobox]',
  '[role=combobox][aria-expanded=true]',
  '[role=listbox]',
  '[data-takes-text]',
].join();

/** Whether a key press belongs to what takes text, or to a dialog. */
export function isTyping(target: EventTarget | null): boolean {
  return target instanceof HTMLElement && target.closest(`${TAKES_TEXT}, [role=dialog]`) !== null;
}

/** Whether a key is the widget's own: arrows and space of lists, sliders and boxes; space and enter of whatever is pressed by them. */
function isOfWidget(event: KeyboardEvent): boolean {
  const target = event.target instanceof HTMLElement ? event.target : null;
  if (!target) return false;
  // What takes keys of its own says which: its digits are not those of the page.
  if (target.dataset.ownKeys?.includes(event.key)) return true;
  if (event.key === ' ' || event.key === 'Enter')
    return (
      target.closest('button, a, summary, input, [role=combobox], [role=option], [role=row][tabindex]') !==
      null
    );
  if (event.key.startsWith('Arrow') || ['Home', 'End', 'PageUp', 'PageDown'].includes(event.key))
    return target.closest('[role=slider], input, [role=combobox], [role=radiogroup]') !== null;
  return false;
}

function pressed(event: KeyboardEvent): void {
  if (event.defaultPrevented || event.ctrlKey || event.metaKey || event.altKey) return;
  // What lies under a dialog waits; escape closes what lies above the page, and does no more.
  if (isTyping(event.target) || isOfWidget(event) || document.querySelector('.p-dialog-mask')) return;
  if (event.key === 'Escape' && document.querySelector('.p-popover')) return;
  // Of two parts that know a key the newer one has it: a page goes before the frame around it.
  const found = [...offered]
    .reverse()
    .flatMap(({ of }) => of)
    .find(({ entry }) => entry.keys.includes(event.key));
  if (!found || found.run() === PASS) return;
  event.preventDefault();
  // A closed list would open at a letter otherwise.
  event.stopPropagation();
}

/** Offer actions while a part of the page is there: by their keys, and in the palette. */
export function useActions(handlers: Partial<Record<string, Run>>): void {
  const of = Object.entries(handlers).flatMap(([id, run]) => {
    const entry = ACTIONS[id];
    return entry && run ? [{ id, entry, run }] : [];
  });
  const part = markRaw({ of });
  onMounted(() => {
    if (!offered.length) window.addEventListener('keydown', pressed, { capture: true });
    offered.push(part);
  });
  onBeforeUnmount(() => {
    const at = offered.indexOf(part);
    if (at >= 0) offered.splice(at, 1);
    if (!offered.length) window.removeEventListener('keydown', pressed, { capture: true });
  });
}
