import { useQuery } from '@tanstack/vue-query'
import { computed, ref, type Ref } from 'vue'
import { answer, api } from '@/api/client'
import { useActions, type Overview } from '@/workbench/useImport'

export type Kind = 'main' | 'pilot'

/** What is to be in order before a run, and the beginning of one: what is not in order is asked about first. `begun` is
 * told how to begin a run when all is settled. */
export function usePreflight(overview: Ref<Overview>, begun: (begin: () => Promise<Overview>) => Promise<unknown>) {
  const id = computed(() => overview.value.id)
  const { run } = useActions(id)
  const plan = computed(() => overview.value.rehearse)
  const { data: points, refetch } = useQuery({
    queryKey: ['preflight', id, computed(() => [plan.value?.id, plan.value?.state, plan.value?.stale].join('/'))],
    enabled: computed(() => plan.value !== null),
    queryFn: () =>
      answer(api.GET('/api/imports/{import_id}/rehearsal/preflight', { params: { path: { import_id: id.value } } })),
  })
  /** What is being asked about, if anything is. */
  const asking = ref<Kind | null>(null)
  const amiss = computed(() =>
    (points.value ?? []).filter((one) => one.state !== 'good' && (asking.value !== 'pilot' || one.name !== 'pilot')),
  )
  async function ask(kind: Kind, items: number[] = []) {
    await refetch()
    asking.value = kind
    if (points.value && !amiss.value.length && (kind === 'pilot' || !plan.value?.counts.delete))
      await begin([], null, items)
  }
  function begin(agreed: string[], deletes: number | null, items: number[] = []) {
    const kind = asking.value ?? 'main'
    asking.value = null
    return begun(() => run.mutateAsync({ kind, agreed, deletes, items: kind === 'pilot' ? items : [] }))
  }
  return { points, amiss, asking, ask, begin, run }
}
