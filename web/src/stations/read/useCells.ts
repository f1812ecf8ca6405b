import { useMutation, useQueryClient } from '@tanstack/vue-query'
import { type Ref } from 'vue'
import { answer, api, type Schemas } from '@/api/client'

/** What is done to a sheet's rows by hand; whatever shows them is asked for anew. */
export function useCells(id: Ref<number>) {
  const client = useQueryClient()
  async function fresh(overview: Schemas['Overview']) {
    client.setQueryData(['import', id], overview)
    await Promise.all(
      ['rows', 'shape', 'ledger', 'check', 'field', 'formula', 'acceptances', 'finding rows'].map((part) =>
        client.invalidateQueries({ queryKey: [part, id] }),
      ),
    )
  }
  const path = () => ({ params: { path: { import_id: id.value } } })
  return {
    fresh,
    correct: useMutation({
      mutationFn: ({ cells, sheet = '' }: { cells: Schemas['CellChange'][]; sheet?: string }) =>
        answer(api.PUT('/api/imports/{import_id}/cells', { ...path(), body: { cells, sheet } })),
      onSuccess: fresh,
    }),
    leaveOut: useMutation({
      mutationFn: (change: Partial<Schemas['RowsLeftOut']>) =>
        answer(api.PUT('/api/imports/{import_id}/left-out', { ...path(), body: { rows: [], out: true, ...change } })),
      onSuccess: fresh,
    }),
  }
}
