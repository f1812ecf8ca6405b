import { useMutation, useQuery } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { answer, api, type Schemas } from '@/api/client'
import { queries } from '@/api/queries'
import type { useReading } from '@/reading/useReading'
import type { SheetOfSource } from '@/sites/useSources'

export type Shape = Schemas['ShapeView']['shapes'][number]
type Reading = ReturnType<typeof useReading>

/** How the rows of an import make records, and the ways to change it. */
export function useShape(id: Ref<number>) {
  const params = computed(() => ({ path: { import_id: id.value } }))
  const view = useQuery({
    queryKey: ['shape', id],
    queryFn: () => answer(api.GET('/api/imports/{import_id}/shape', { params: params.value })),
  })
  const changed = () => queries.invalidateQueries({ predicate: (query) => query.queryKey[0] !== 'shape' })
  const set = useMutation({
    scope: { id: 'action' },
    mutationFn: (shapes: Shape[]) =>
      answer(
        api.PUT('/api/imports/{import_id}/shape', {
          params: params.value,
          body: { base_version: view.data.value?.version ?? 0, shapes },
        }),
      ),
    onSuccess: (now) => {
      queries.setQueryData(['shape', id], now)
      return changed()
    },
  })
  const again = async () => {
    await queries.invalidateQueries({ queryKey: ['shape', id] })
    await queries.invalidateQueries({ queryKey: ['import', id] })
    await queries.invalidateQueries({ queryKey: ['sources'] })
  }
  const addSheet = useMutation({
    mutationFn: ({ source, sheet }: SheetOfSource) =>
      answer(
        api.PUT('/api/imports/{import_id}/sheets', {
          params: params.value,
          body: { name: sheet || null, source_id: source },
        }),
      ),
    onSuccess: again,
  })
  const addFile = useMutation({
    mutationFn: ({ file, reading }: { file: File; reading: Reading }) =>
      reading.send<Schemas['Overview']>('POST', `/api/imports/${id.value}/sheets`, { file }),
    onSuccess: again,
  })
  const remove = useMutation({
    mutationFn: (name: string) =>
      answer(api.POST('/api/imports/{import_id}/sheets/remove', { params: params.value, body: { name } })),
    onSuccess: again,
  })
  return { view: view.data, error: view.error, set, addSheet, addFile, remove }
}
