// Which of a project's targets the pages show: one, or on the board all of them. Kept for each project in this browser.
import { useQueryClient } from '@tanstack/vue-query';
import { ref, watch, type Ref } from 'vue';

import { looking } from '@/api/client';

/** All targets at once, as the board can show them. */
export const ALL = '*';
const shown = ref('');

function place(slug: string): string {
  return `fair-texel-target-${slug}`;
}
/** Begin to look at a project: what was looked at the last time. Called before anything is asked for. */
export function lookAt(slug: Ref<string>): void {
  const cache = useQueryClient();
  watch(
    slug,
    (now) => {
      shown.value = localStorage.getItem(place(now)) ?? '';
      looking.target = shown.value;
    },
    { immediate: true, flush: 'sync' },
  );
  watch(shown, (now) => {
    if (looking.target === now) return;
    looking.target = now;
    localStorage.setItem(place(slug.value), now);
    for (const key of ['board', 'set', 'variant']) void cache.invalidateQueries({ queryKey: [key] });
  });
}
/** The name of the target that is looked at; "" is the project's usual one. */
export function useLooking(): Ref<string> {
  return shown;
}
/** The same for pictures, which are asked for by their address alone. */
export function lookedAt(): string {
  return shown.value ? `&target=${encodeURIComponent(shown.value)}` : '';
}
