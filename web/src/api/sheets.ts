// Masters that are written, as pages ask for them.
import { useQuery } from '@tanstack/vue-query';

import { api, take } from './client';

export function useSheetWords() {
  return useQuery({
    queryKey: ['sheet-words'],
    queryFn: () => take(api.GET('/api/sheets/vocabulary')),
    staleTime: Infinity,
  });
}
