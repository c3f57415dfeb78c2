// Masters that are written, as pages ask for them.
import { useQuery } from '@tanstack/vue-query';

import { api, take } from './client';

/** The studio's blocks, with the masters that use them. */
export function useBlocks() {
  return useQuery({ queryKey: ['blocks'], queryFn: () => take(api.GET('/api/blocks')) });
}

export function useSheetWords() {
  return useQuery({
    queryKey: ['sheet-words'],
    queryFn: () => take(api.GET('/api/sheets/vocabulary')),
    staleTime: Infinity,
  });
}
