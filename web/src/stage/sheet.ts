// A contact sheet: lit pictures of chosen sets in rows, with their names under them.

export interface Shown {
  name: string;
  url: string;
}

const EDGE = 256;
const GAP = 24;
const LINE = 34;
const MOST_ACROSS = 8;

/** How many stand side by side, so that a sheet is about as wide as it is high. */
export function across(count: number): number {
  return Math.max(1, Math.min(MOST_ACROSS, Math.ceil(Math.sqrt(count))));
}

/** Words as they fit a width: cut in the middle, since names differ at both ends. */
export function fitted(words: string, fits: (text: string) => boolean): string {
  if (fits(words)) return words;
  for (let kept = words.length - 1; kept > 2; kept--) {
    const front = Math.ceil(kept / 2);
    const text = `${words.slice(0, front)}…${words.slice(words.length - (kept - front))}`;
    if (fits(text)) return text;
  }
  return '…';
}

/** Draw the sheet as a PNG. `tell` hears how many pictures are there. A set without a picture keeps its place. */
export async function contactSheet(
  title: string,
  sets: Shown[],
  tell: (done: number) => void = () => undefined,
): Promise<Blob | null> {
  const columns = across(sets.length);
  const rows = Math.ceil(sets.length / columns);
  const paper = document.createElement('canvas');
  paper.width = GAP + columns * (EDGE + GAP);
  paper.height = GAP + LINE + rows * (EDGE + LINE + GAP);
  const ink = paper.getContext('2d');
  if (!ink) return null;
  ink.fillStyle = '#777777';
  ink.fillRect(0, 0, paper.width, paper.height);
  ink.fillStyle = '#000000';
  ink.font = '600 20px "Instrument Sans Variable", sans-serif';
  ink.fillText(title, GAP, GAP + 18);
  ink.font = '14px "Instrument Sans Variable", sans-serif';
  for (const [at, { name, url }] of sets.entries()) {
    const left = GAP + (at % columns) * (EDGE + GAP);
    const top = GAP + LINE + Math.floor(at / columns) * (EDGE + LINE + GAP);
    const picture = new Image();
    picture.src = url;
    await picture.decode().then(
      () => ink.drawImage(picture, left, top, EDGE, EDGE),
      () => undefined,
    );
    ink.fillText(
      fitted(name, (text) => ink.measureText(text).width <= EDGE),
      left,
      top + EDGE + 20,
    );
    tell(at + 1);
  }
  return new Promise((resolve) => paper.toBlob(resolve, 'image/png'));
}
