import { useMutation, useQuery } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { answer, api, type Schemas } from '@/api/client'
import { queries } from '@/api/queries'
import type { useReading } from '@/reading/useReading'

export type Files = Schemas['FilesView']
const AGAIN = 1000
const going = (view: Files | undefined) => ['waiting', 'going'].includes(view?.fetching?.state ?? '')

/** The files that an import's values name, and what can be done about those that are missing. */
export function useFiles(id: Ref<number>, reading: ReturnType<typeof useReading>) {
  const path = computed(() => ({ params: { path: { import_id: id.value } } }))
  const found = useQuery({
    queryKey: ['files', id],
    queryFn: () => answer(api.GET('/api/imports/{import_id}/files', path.value)),
    // How far fetching is stands in no overview; it is asked for while somebody looks.
    refetchInterval: (query) => (going(query.state.data) ? AGAIN : false),
  })
  const onSuccess = (view: Files) => {
    queries.setQueryData(['files', id], view)
    void queries.invalidateQueries({ queryKey: ['import', id] })
    void queries.invalidateQueries({ queryKey: ['ledger', id] })
  }
  return {
    view: found.data,
    error: found.error,
    fetching: computed(() => going(found.data.value)),
    add: useMutation({
      mutationFn: async (files: File[]) => {
        let view: Files | undefined
        for (const file of files) view = await reading.send<Files>('POST', `/api/imports/${id.value}/files`, { file })
        return view!
      },
      onSuccess,
    }),
    fetch: useMutation({
      mutationFn: () => answer(api.POST('/api/imports/{import_id}/files/fetch', path.value)),
      onSuccess,
    }),
    stop: useMutation({
      mutationFn: () => answer(api.DELETE('/api/imports/{import_id}/files/fetch', path.value)),
      onSuccess,
    }),
    forget: useMutation({
      mutationFn: () => answer(api.DELETE('/api/imports/{import_id}/files', path.value)),
      onSuccess,
    }),
  }
}
