import { useMutation, useQuery } from '@tanstack/vue-query'
import { type Ref } from 'vue'
import { answer, api, type Schemas } from '@/api/client'
import { useCells } from '@/stations/read/useCells'

export type Group = Schemas['FindingGroup']

/** What is done about findings: accepted, taken back, and the rows that came back corrected. */
export function useFindings(id: Ref<number>) {
  const { fresh, leaveOut, correct } = useCells(id)
  const path = () => ({ params: { path: { import_id: id.value } } })
  const accepted = useQuery({
    queryKey: ['acceptances', id],
    queryFn: () => answer(api.GET('/api/imports/{import_id}/acceptances', path())),
  })
  return {
    accepted: accepted.data,
    leaveOut,
    correct,
    accept: useMutation({
      mutationFn: (finding: { field: string; rule: string; rows?: number[] }) =>
        answer(api.PUT('/api/imports/{import_id}/acceptances', { ...path(), body: finding })),
      onSuccess: fresh,
    }),
    takeBack: useMutation({
      mutationFn: ({ field, rule }: Group) =>
        answer(
          api.DELETE('/api/imports/{import_id}/acceptances', {
            params: { path: { import_id: id.value }, query: { field, rule } },
          }),
        ),
      onSuccess: fresh,
    }),
    patch: useMutation({
      mutationFn: (file: File) => {
        const form = new FormData()
        form.set('file', file)
        return answer(
          api.POST('/api/imports/{import_id}/held', {
            ...path(),
            body: { file: '' },
            bodySerializer: () => form,
          }),
        )
      },
      onSuccess: async () => fresh(await answer(api.GET('/api/imports/{import_id}', path()))),
    }),
  }
}
