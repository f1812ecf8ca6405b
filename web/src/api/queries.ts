import { QueryClient } from '@tanstack/vue-query'
import { PATIENCE, saysAway } from '@/api/away'
import { Problem } from '@/api/client'

const TRIES = 900

/** Server state. A refusal is an answer and is not asked for again; a server that is away is, until it is back. */
export const queries = new QueryClient({
  defaultOptions: {
    queries: {
      retry: (count, error) => error instanceof Problem && saysAway(error.status) && count < TRIES,
      retryDelay: PATIENCE,
      staleTime: 2000,
      refetchOnWindowFocus: true,
    },
  },
})
