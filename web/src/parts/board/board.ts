// How sets stand, from the board.
import type { Board } from '@/api/client';

export type Standing = 'wrong' | 'look' | 'holds';
type Sets = Board['sets'];

/** The worst state among a set's stages; a stage that has not been reached is none. */
export function standingOf(set: Sets[number]): Standing {
  const states = Object.values(set.cells).map((cell) => cell.state);
  if (states.includes('wrong')) return 'wrong';
  return states.includes('look') ? 'look' : 'holds';
}
