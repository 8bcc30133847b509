/** Answers of the engine by what was asked for. */
import { keepPreviousData, useQuery, type UseQueryResult } from '@tanstack/react-query';
import type { Running } from './engine.ts';

/** An answer by its key; the last one stays while the next is worked out, and a question that is overtaken is stopped. */
export const useAnswer = <A>(key: readonly unknown[], enabled: boolean, ask: () => Running<A>): UseQueryResult<A> =>
  useQuery<A>({
    queryKey: key,
    enabled,
    staleTime: Infinity,
    gcTime: 30_000,
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }) => {
      const running = ask();
      signal.addEventListener('abort', () => running.cancel());
      return running.result;
    },
  });
