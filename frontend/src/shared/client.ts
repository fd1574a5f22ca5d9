import { QueryClient, type QueryFilters } from '@tanstack/vue-query'
import { toValue } from 'vue'
import { pauseBefore, retried } from './away'

/**
 * What the pages have read of the server. What is no longer true is asked for anew also where its first
 * answer is still on its way: else that answer, of before the change, would be taken for the new one.
 */
export class Answers extends QueryClient {
  constructor() {
    super({
      defaultOptions: {
        queries: {
          retry: retried,
          retryDelay: pauseBefore,
          staleTime: 5_000,
          refetchOnWindowFocus: false,
        },
      },
    })
  }
  override async invalidateQueries(
    ...asked: Parameters<QueryClient['invalidateQueries']>
  ): Promise<void> {
    await this.cancelQueries({
      ...(toValue(asked[0]) as QueryFilters | undefined),
      type: 'active',
      predicate: (query) => query.state.data === undefined,
    })
    await super.invalidateQueries(...asked)
  }
}
