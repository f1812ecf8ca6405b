import { useMutation, useQuery } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { answer, api, type Schemas } from '@/api/client'
import { queries } from '@/api/queries'

export type Proof = Schemas['Proof']

/** What the last reading back of a run has looked at; `fresh` changes with whatever is known of it. */
export function useProof(id: Ref<number>, run: Ref<number>, fresh: Ref<string>) {
  const params = computed(() => ({ path: { import_id: id.value, run_id: run.value } }))
  const queryKey = ['proof', id, run, fresh]
  const found = useQuery({
    queryKey,
    enabled: computed(() => run.value > 0 && fresh.value !== ''),
    queryFn: async () =>
      // The client widens what may be anything; the schema does not.
      (await answer(api.GET('/api/imports/{import_id}/runs/{run_id}/proof', { params: params.value }))) as Proof,
  })
  const signIn = useMutation({
    mutationFn: (body: Schemas['SignInAsked']) =>
      answer(api.POST('/api/imports/{import_id}/runs/{run_id}/proof/sign-in', { params: params.value, body })),
    onSuccess: (told) => queries.setQueryData(queryKey, told),
  })
  return { found, signIn }
}
