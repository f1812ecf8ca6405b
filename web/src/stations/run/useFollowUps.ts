import { useMutation, useQuery } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { answer, api, type Schemas } from '@/api/client'
import { queries } from '@/api/queries'

export type FollowUp = Schemas['FollowUp']
export type FollowUpState = Schemas['FollowUpState']

/** What is done for the records of a run after it: rehearsed, then carried out for as many as were shown. */
export function useFollowUps(id: Ref<number>, run: Ref<number>) {
  const params = computed(() => ({ path: { import_id: id.value, run_id: run.value } }))
  const queryKey = ['follow-ups', id, run]
  const found = useQuery({
    queryKey,
    queryFn: async () =>
      // The client widens records; the schema does not.
      (await answer(
        api.GET('/api/imports/{import_id}/runs/{run_id}/follow-ups', { params: params.value }),
      )) as FollowUpState[],
  })
  const put = (told: unknown) => queries.setQueryData(queryKey, told)
  const rehearse = useMutation({
    mutationFn: (body: FollowUp) =>
      answer(api.POST('/api/imports/{import_id}/runs/{run_id}/follow-ups', { params: params.value, body })),
    onSuccess: put,
  })
  const carryOut = useMutation({
    mutationFn: ({ plan_id, records }: FollowUpState) =>
      answer(
        api.POST('/api/imports/{import_id}/runs/{run_id}/follow-ups/{plan_id}/run', {
          params: { path: { ...params.value.path, plan_id } },
          body: { records },
        }),
      ),
    onSuccess: put,
  })
  return { found, rehearse, carryOut }
}

/** What can be done for the records of a run. */
export const useOffered = (id: Ref<number>, run: Ref<number>) =>
  useQuery({
    queryKey: ['follow-ups offered', id, run],
    queryFn: () =>
      answer(
        api.GET('/api/imports/{import_id}/runs/{run_id}/follow-ups/offered', {
          params: { path: { import_id: id.value, run_id: run.value } },
        }),
      ),
  })

/** What a follow-up does, in words. */
export function said({ what }: FollowUp): string {
  return what.kind === 'action' ? `call “${what.action}” of the site` : `mail “${what.subject}”`
}
