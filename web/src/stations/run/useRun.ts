import { useMutation, useQuery } from '@tanstack/vue-query'
import { computed, onScopeDispose, watch, type Ref } from 'vue'
import { answer, api, type Schemas } from '@/api/client'
import { queries } from '@/api/queries'
import type { Overview } from '@/workbench/useImport'

const AT_MOST_EVERY = 1000

/** What one looks at while a run goes on, asked for again as it comes on. */
export function useRunProgress(id: Ref<number>, run: Ref<Overview['run']>) {
  const runId = computed(() => run.value?.id ?? 0)
  const found = useQuery({
    queryKey: ['run progress', id, runId],
    enabled: computed(() => run.value !== null),
    queryFn: () =>
      answer(
        api.GET('/api/imports/{import_id}/runs/{run_id}/progress', {
          params: { path: { import_id: id.value, run_id: runId.value } },
        }),
      ),
  })
  let waits: ReturnType<typeof setTimeout> | undefined
  watch(
    () => [run.value?.done, run.value?.failed, run.value?.state, run.value?.workers],
    () => {
      waits ??= setTimeout(() => {
        waits = undefined
        void found.refetch()
      }, AT_MOST_EVERY)
    },
  )
  onScopeDispose(() => clearTimeout(waits))
  return found
}

/** How a run is taken back: rehearsed, then carried out. */
export function useUndo(id: Ref<number>, run: Ref<number>, fresh: Ref<string>) {
  const params = computed(() => ({ path: { import_id: id.value, run_id: run.value } }))
  const queryKey = ['undo', id, run, fresh]
  const state = useQuery({
    queryKey,
    queryFn: async () =>
      // The client widens records; the schema does not.
      (await answer(
        api.GET('/api/imports/{import_id}/runs/{run_id}/undo', { params: params.value }),
      )) as Schemas['UndoState'],
  })
  const put = (told: unknown) => queries.setQueryData(queryKey, told)
  const rehearse = useMutation({
    mutationFn: (items: number[] | null) =>
      answer(api.POST('/api/imports/{import_id}/runs/{run_id}/undo', { params: params.value, body: { items } })),
    onSuccess: put,
  })
  const carryOut = useMutation({
    mutationFn: () => answer(api.POST('/api/imports/{import_id}/runs/{run_id}/undo/run', { params: params.value })),
    onSuccess: put,
  })
  return { state, rehearse, carryOut }
}
