import { useMutation, useQuery } from '@tanstack/vue-query'
import { computed, onScopeDispose, watch, type Ref } from 'vue'
import { answer, api, type Schemas } from '@/api/client'
import { queries } from '@/api/queries'
import type { useReading } from '@/reading/useReading'
import { followImport } from '@/workbench/events'

export type Overview = Schemas['Overview']
export type Station = 'read' | 'map' | 'check' | 'rehearse' | 'run' | 'verify'

const FINISHING_ASKED_EVERY = 3000

/** Whether more of a run is sent, or will be without anybody asking for it. */
export function isUnderWay(run: { state: string } | null | undefined): boolean {
  return ['waiting', 'running'].includes(run?.state ?? '')
}

/** Whether workers are still at what was on its way when a run was paused. */
export function isFinishing(run: Overview['run']): boolean {
  return !!run?.workers && ['paused', 'failed'].includes(run.state)
}

type Reading = ReturnType<typeof useReading>

/** An import with what each station has to say, kept fresh by what is told of it. */
export function useImport(id: Ref<number>) {
  const found = useQuery({
    queryKey: ['import', id],
    queryFn: () => answer(api.GET('/api/imports/{import_id}', { params: { path: { import_id: id.value } } })),
    // Nobody tells that the time of a worker is over that has died over it.
    refetchInterval: (query) => (isFinishing(query.state.data?.run ?? null) ? FINISHING_ASKED_EVERY : false),
  })
  let end = () => undefined as void
  watch(
    id,
    (number) => {
      end()
      end = followImport(number, ['import', number], () => {
        void found.refetch()
        void queries.invalidateQueries({ queryKey: ['undo', number] })
        void queries.invalidateQueries({ queryKey: ['follow-ups', number] })
      })
    },
    { immediate: true },
  )
  onScopeDispose(() => end())
  return found
}

/** Everything that changes what the stations show; each answers with the new overview or has it asked for. */
export function useActions(id: Ref<number>) {
  const params = computed(() => ({ path: { import_id: id.value } }))
  const ofRun = (run: number) => ({ path: { import_id: id.value, run_id: run } })
  const put = (overview: Overview) => queries.setQueryData(['import', id], overview)
  const refresh = async () => {
    await Promise.all([
      queries.invalidateQueries({ queryKey: ['import', id] }),
      queries.invalidateQueries({ queryKey: ['ledger', id] }),
      queries.invalidateQueries({ queryKey: ['check', id] }),
    ])
  }
  const action = <T = void>(ask: (given: T) => Promise<Overview>) =>
    useMutation({ scope: { id: 'action' }, mutationFn: ask, onSuccess: put })
  return {
    setDialect: useMutation({
      // One after the other, so that the last choice is the one that stands.
      scope: { id: 'dialect' },
      mutationFn: ({ dialect, sheet, reading }: { dialect: Schemas['Dialect']; sheet: string; reading: Reading }) =>
        reading.during((name) =>
          answer(
            api.PUT('/api/imports/{import_id}/dialect', {
              params: { ...params.value, query: { sheet }, header: { 'X-Reading': name } },
              body: dialect,
            }),
          ),
        ),
      onSuccess: async (overview) => {
        put(overview)
        await Promise.all([
          queries.invalidateQueries({ queryKey: ['rows', id] }),
          queries.invalidateQueries({ queryKey: ['mapping', id] }),
          queries.invalidateQueries({ queryKey: ['shape', id] }),
          refresh(),
        ])
      },
    }),
    readFile: useMutation({
      mutationFn: ({ file, sheet, reading }: { file: File; sheet: string; reading: Reading }) =>
        reading.send<Overview>('PUT', `/api/imports/${id.value}/file?${new URLSearchParams({ sheet })}`, { file }),
      onSuccess: (overview) => {
        put(overview)
        return queries.invalidateQueries({ predicate: (query) => query.queryKey[0] !== 'import' })
      },
    }),
    setPolicy: action((policy: Schemas['Policy']) =>
      answer(api.PUT('/api/imports/{import_id}/policy', { params: params.value, body: policy })),
    ),
    check: useMutation({
      mutationFn: () => answer(api.POST('/api/imports/{import_id}/check', { params: params.value })),
      onSuccess: refresh,
    }),
    stopCheck: action(() => answer(api.POST('/api/imports/{import_id}/check/stop', { params: params.value }))),
    rehearse: action(() => answer(api.POST('/api/imports/{import_id}/rehearsal', { params: params.value }))),
    stopRehearsal: action(() => answer(api.POST('/api/imports/{import_id}/rehearsal/stop', { params: params.value }))),
    run: action((asked: Partial<Schemas['RunAsked']> | void) =>
      answer(
        api.POST('/api/imports/{import_id}/runs', {
          params: params.value,
          body: { kind: 'main', telling: true, items: [], deletes: null, agreed: [], ...asked },
        }),
      ),
    ),
    pause: action((run: number) =>
      answer(api.POST('/api/imports/{import_id}/runs/{run_id}/pause', { params: ofRun(run) })),
    ),
    resume: action((run: number) =>
      answer(api.POST('/api/imports/{import_id}/runs/{run_id}/continue', { params: ofRun(run) })),
    ),
    end: action((run: number) =>
      answer(api.POST('/api/imports/{import_id}/runs/{run_id}/end', { params: ofRun(run) })),
    ),
    verify: action((run: number) =>
      answer(api.POST('/api/imports/{import_id}/runs/{run_id}/verification', { params: ofRun(run) })),
    ),
    stopVerifying: action((run: number) =>
      answer(api.POST('/api/imports/{import_id}/runs/{run_id}/verification/stop', { params: ofRun(run) })),
    ),
  }
}
