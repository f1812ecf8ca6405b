import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { ref, watch, type Ref } from 'vue'
import { answer, api, type Schemas } from '@/api/client'

export type Question = Partial<Schemas['Question']>
export type Ledger = Schemas['Ledger']
export type Line = Schemas['Line']
export type Cell = Schemas['Cell']

/** The ledger that answers a question; the one before stays until the next is there. */
export function useLedger(id: Ref<number>, question: Ref<Question>) {
  const asked = useQuery({
    queryKey: ['ledger', id, question],
    queryFn: ({ signal }) =>
      answer(
        api.POST('/api/imports/{import_id}/ledger', {
          params: { path: { import_id: id.value } },
          body: question.value as Schemas['Question'],
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
    staleTime: 0,
  })
  // A question that cannot be answered, such as half a formula, leaves the last answer to be looked at.
  const shown = ref<Ledger>()
  watch(asked.data, (found) => (shown.value = found ?? shown.value), { immediate: true })
  return { ...asked, data: shown }
}
