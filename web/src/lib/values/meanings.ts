// What files may be taught to hold, as the core's habits name it.
import type { Schemas } from '@/api/client';

type Habit = Schemas['Habit'];

export const MEANINGS = [
  'base_colour',
  'normal',
  'roughness',
  'gloss',
  'metallic',
  'occlusion',
  'height',
  'emissive',
  'specular',
  'opacity',
  'mask',
] as const;

export function meaningWords(key: string): string {
  return key.replaceAll('_', ' ');
}

/** What files with an ending hold, as a sentence goes on: “hold occlusion in R, roughness in G”. */
export function habitWords(habit: Habit): string {
  if (habit.surface) return 'are surfaces of their own: the ending belongs to the name';
  const meanings = habit.meanings ?? [];
  if (!meanings.length) return 'are left out';
  const direction = habit.direction ? `, ${habit.direction.replace('-', '−')}` : '';
  const held = meanings.map((key, at) => {
    const channels = habit.channels?.[at];
    return channels ? `${meaningWords(key)} in ${channels}` : meaningWords(key);
  });
  return `hold ${held.join(', ')}${direction}`;
}
