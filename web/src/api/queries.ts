import { QueryClient } from '@tanstack/vue-query'
import { Problem } from '@/api/client'

/** Server state. A refusal is an answer and is not asked for again; a server that is away is. */
export const queries = new QueryClient({
  defaultOptions: {
    queries: {
      retry: (count, error) => error instanceof Problem && error.status === 0 && count < 3,
      staleTime: 2000,
      refetchOnWindowFocus: true,
    },
  },
})
