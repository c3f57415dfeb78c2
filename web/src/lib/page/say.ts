// Saying what went wrong, or well, in a corner of the page.
import { useToast } from 'primevue/usetoast';

import { ApiError } from '@/api/client';

import { LeftAsItIs } from './overtaken';

export function useSay() {
  const toast = useToast();
  return {
    /** A refusal, in its three parts: with what, what, and the way out. */
    wrong(error: unknown): void {
      if (error instanceof LeftAsItIs) return;
      const known =
        error instanceof ApiError ? error : new ApiError(0, 'The page', 'met a fault.', 'Reload it.');
      toast.add({
        severity: 'error',
        summary: `${known.sentence}`,
        detail: known.wayOut,
        life: 9000,
      });
    },
    done(summary: string): void {
      toast.add({ severity: 'success', summary, life: 3500 });
    },
  };
}
