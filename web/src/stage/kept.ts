// How somebody likes the stage: kept for each person by the server, and told whole by a link. What the browser keeps of it is there at
// once, before the server has answered.
import { computed, effectScope, reactive, watch, type ComputedRef } from 'vue';

import { api } from '@/api/client';
import { useSession } from '@/stores/session';

import { RELIEFS, type Relief } from './shading';
import { SHAPES, type Shape } from './shapes';

/** What may lie behind what stands on the stage. */
export const GROUNDS = ['well', 'squares', 'environment', 'blurred environment'] as const;
export type Behind = (typeof GROUNDS)[number];

export interface Liking {
  shape: Shape;
  environment: string;
  /** Degrees. */
  light: number;
  object: number;
  /** Degrees a second, of what turns by itself. */
  speed: number;
  /** In stops. */
  exposure: number;
  toned: boolean;
  behind: Behind;
  field: number;
  /** Texels per metre that texel density is held against. */
  density: number;
  relief: Relief;
  /** How deep a height reaches, as a share of the picture's width, and the height that stays where it is. */
  depth: number;
  mid: number;
}

export const USUAL: Liking = {
  shape: 'sphere',
  environment: 'workshop',
  light: 0,
  object: 0,
  speed: 40,
  exposure: 0,
  toned: true,
  behind: 'well',
  field: 30,
  density: 512,
  relief: 'flat',
  depth: 0.02,
  mid: 0.5,
};

/** What numbers may be, and words of which there are only so many. */
const RANGES: Record<string, [low: number, high: number]> = {
  light: [-360, 360],
  object: [-360, 360],
  speed: [5, 180],
  exposure: [-6, 6],
  field: [10, 80],
  density: [1, 65536],
  depth: [0, 0.5],
  mid: [0, 1],
};
const WORDS: Record<string, readonly string[]> = { shape: SHAPES, behind: GROUNDS, relief: RELIEFS };

const shared = new Map<string, Liking>();

function place(person: string): string {
  return `fair-texel-stage-${person}`;
}

/** What is kept, as far as it is what it should be: it may be of an older version, or written by hand. */
export function likingOf(text: string | null): Liking {
  let kept: unknown = null;
  try {
    kept = JSON.parse(text ?? 'null');
  } catch {
    return { ...USUAL };
  }
  return taken(kept as Record<string, unknown> | null);
}

function taken(from: Record<string, unknown> | null): Liking {
  const found: Record<string, unknown> = { ...USUAL };
  for (const [key, usual] of Object.entries(USUAL)) {
    const value = from?.[key];
    if (typeof value !== typeof usual) continue;
    const range = RANGES[key];
    const words = WORDS[key];
    if (typeof value === 'number' && !(range && value >= range[0] && value <= range[1])) continue;
    if (words && !words.includes(String(value))) continue;
    found[key] = value;
  }
  return found as unknown as Liking;
}

/** Milliseconds after a change until the server is told. */
const SETTLED = 800;

/** The asking person's liking; what is changed is kept. */
export function useLiking(): Liking {
  const person = useSession().user ?? '';
  const known = shared.get(person);
  if (known) return known;
  const liking = reactive(likingOf(localStorage.getItem(place(person))));
  shared.set(person, liking);
  // It is kept for as long as the application runs, whichever page asked first.
  effectScope(true).run(() => keep(person, liking));
  return liking;
}

function keep(person: string, liking: Liking): void {
  let changed = false;
  let timer = 0;
  const tell = () => void api.PUT('/api/account/stage', { body: { ...liking } }).catch(() => undefined);
  watch(
    () => ({ ...liking }),
    (now) => {
      changed = true;
      localStorage.setItem(place(person), JSON.stringify(now));
      window.clearTimeout(timer);
      timer = window.setTimeout(tell, SETTLED);
    },
  );
  // What was changed here before the server answered is newer than what it has.
  void api
    .GET('/api/account/stage')
    .then(({ data }) => {
      if (data && !changed) Object.assign(liking, taken(data));
    })
    .catch(() => undefined);
}

/** A liking and a camera as words of an address, and back: a link shows somebody else the same. */
export function linkOf(liking: Liking, eye: string): string {
  const words = Object.entries(liking).map(([key, value]) => `${key}:${String(value)}`);
  return [...words, `eye:${eye}`].join(';');
}
export function ofLink(text: string): { liking: Liking; eye: string } | null {
  const pairs = text.split(';').map((word) => word.split(/:(.*)/s));
  const found = new Map(pairs.map(([key = '', value = '']) => [key, value]));
  if (!found.has('environment')) return null;
  const read: Record<string, unknown> = {};
  for (const [key, usual] of Object.entries(USUAL)) {
    const value = found.get(key);
    if (value === undefined) continue;
    read[key] =
      typeof usual === 'number' ? Number(value) : typeof usual === 'boolean' ? value === 'true' : value;
  }
  return { liking: taken(read), eye: found.get('eye') ?? '' };
}

/** Exposure in words: “+0.5”. */
export function useStops(liking: Liking): ComputedRef<string> {
  return computed(
    () => `${liking.exposure > 0 ? '+' : liking.exposure < 0 ? '−' : ''}${Math.abs(liking.exposure)}`,
  );
}
