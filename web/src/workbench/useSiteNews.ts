import { useMutation, useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { answer, api } from '@/api/client'
import { queries } from '@/api/queries'

const path = (id: number) => ({ params: { path: { import_id: id } } })

/** What the site says otherwise of these records than the description that the import rests on. */
export const useSiteNews = (id: () => number) =>
  useQuery({
    queryKey: computed(() => ['news', id()]),
    queryFn: () => answer(api.GET('/api/imports/{import_id}/description', path(id()))),
  })

/** Has the import rest on the site's latest description; all that was worked out from the earlier one is asked for anew. */
export const useGoOnWithLatest = (id: () => number) =>
  useMutation({
    mutationFn: () => answer(api.POST('/api/imports/{import_id}/description', path(id()))),
    onSuccess: () => queries.invalidateQueries(),
  })
