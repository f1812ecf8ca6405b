import { useMutation, useQuery } from '@tanstack/vue-query'
import { computed, watch, type Ref } from 'vue'
import { answer, api, type Schemas } from '@/api/client'
import { queries } from '@/api/queries'
import { isUnderWay, type Overview } from '@/workbench/useImport'

/** What one looks at while a run goes on: told while it is under way, asked for when it has come to a stop. */
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
  watch(
    () => [run.value?.done, run.value?.failed, run.value?.state, run.value?.workers],
    () => {
      if (!isUnderWay(run.value)) void found.refetch()
    },
  )
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
    mutationFn: (body: { items: number[] | null; with_earlier: boolean; hold_meant: boolean }) =>
      answer(api.POST('/api/imports/{import_id}/runs/{run_id}/undo', { params: params.value, body })),
    onSuccess: put,
  })
  const carryOut = useMutation({
    mutationFn: () => answer(api.POST('/api/imports/{import_id}/runs/{run_id}/undo/run', { params: params.value })),
    onSuccess: put,
  })
  return { state, rehearse, carryOut }
}
