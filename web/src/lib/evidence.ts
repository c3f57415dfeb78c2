// What was measured on a file, in words: each figure with the picture that it came from, where there is one.
import type { FileDetail } from '@/api/arriving';

export interface Figure {
  what: string;
  says: string;
  state: 'plain' | 'look';
  picture: string | null;
}

type Evidence = NonNullable<FileDetail['evidence']>;
type Direction = NonNullable<Evidence['direction']>;

const SEAM = 3;
const UNIT = 0.04;
const LEAN = 3;
const ENLARGED = 0.001;
const ALIVE = 0.04;

export function figuresOf(detail: FileDetail): Figure[] {
  const seen = detail.evidence;
  if (!seen) return [];
  const figures: Figure[] = [plain('looks like', seen.picture)];
  if (seen.direction) figures.push(...directionOf(seen.direction));
  if (seen.field) {
    const { length_error, lean } = seen.field;
    figures.push(
      told('length', `${percent(length_error)} off unit length`, length_error > UNIT),
      told('leans', `${lean.toFixed(1)}° from upright`, lean > LEAN),
    );
  }
  for (const [name, channel] of Object.entries(seen.channels)) {
    const kind = channel.copy_of ? `copy of ${channel.copy_of}` : channel.kind;
    figures.push(
      plain(`channel ${name}`, `${kind}, mean ${channel.mean.toFixed(2)}, ${channel.levels} levels`),
    );
  }
  if (seen.colour) {
    const { dark, bright } = seen.colour;
    figures.push({
      ...plain('values', `sRGB ${dark.toFixed(0)} to ${bright.toFixed(0)}`),
      picture: 'clipping',
    });
  }
  const [across, down] = seen.seam as [number, number];
  const step = Math.max(across, down);
  figures.push({
    ...told('tile edges', step > SEAM ? `step ${step.toFixed(1)} × those inside` : 'meet', step > SEAM),
    picture: 'seams',
  });
  const enlarged = seen.finest < ENLARGED && seen.second > ALIVE;
  figures.push({
    ...told('finest detail', enlarged ? 'missing: it was enlarged' : 'there', enlarged),
    picture: 'finest',
  });
  if (seen.period) {
    const [x, y] = seen.period as [number, number, number];
    figures.push(plain('repeats', `every ${share(x)} across, ${share(y)} down`));
  }
  if (seen.declared) figures.push(plain('declares', seen.declared));
  return figures;
}

function directionOf(seen: Direction): Figure[] {
  const says = seen.answer
    ? `${seen.answer.replace('-', '−')}, score ${Math.abs(seen.score).toFixed(2)} of 1`
    : `cannot be told: ${seen.undecided ?? ''}`;
  return [
    { what: 'direction', says, state: seen.answer ? 'plain' : 'look', picture: null },
    { what: '', says: 'lit, read as +Y', state: 'plain', picture: 'lit-up' },
    { what: '', says: 'lit, read as −Y', state: 'plain', picture: 'lit-down' },
    { what: '', says: 'curl as +Y', state: 'plain', picture: 'curl-up' },
    { what: '', says: 'curl as −Y', state: 'plain', picture: 'curl-down' },
  ];
}
function plain(what: string, says: string): Figure {
  return { what, says, state: 'plain', picture: null };
}
function told(what: string, says: string, look: boolean): Figure {
  return { what, says: look ? `◆ ${says}` : says, state: look ? 'look' : 'plain', picture: null };
}
function percent(value: number): string {
  return `${(value * 100).toFixed(1)} %`;
}
function share(value: number): string {
  return value ? `${Math.round(value * 100)} %` : 'not';
}
