// A page whose code cannot be loaded: the application was renewed since this tab was opened, or the way to it was cut for a moment.
import type { Router } from 'vue-router';

import { ApiError } from '@/api/client';

const KEY = 'fairtexel.lost';
/** Milliseconds within which the same page is not asked for anew again: then something else is wrong. */
const AGAIN = 15_000;

function isLost(error: unknown): boolean {
  // As Chromium, Firefox and Safari say it of a module, and Vite of a style.
  const words = /dynamically imported module|importing a module script|preload CSS/i;
  return error instanceof Error && words.test(error.message);
}

/** Where somebody is on the way to such a page, the whole application is loaded anew at that address. `go` opens an address, and
 * `wrong` says what is wrong where that did not help. */
export function findLost(
  router: Router,
  go: (address: string) => void,
  wrong: (error: ApiError) => void,
): void {
  router.onError((error, to) => {
    if (!isLost(error)) return;
    const [address, at] = (sessionStorage.getItem(KEY) ?? '').split('\n');
    if (address === to.fullPath && Date.now() - Number(at) < AGAIN) {
      wrong(
        new ApiError(
          0,
          'The page',
          'could not be loaded.',
          'Look whether the server can be reached, then reload.',
        ),
      );
      return;
    }
    sessionStorage.setItem(KEY, `${to.fullPath}\n${Date.now()}`);
    go(router.resolve(to).href);
  });
}
