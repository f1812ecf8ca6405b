import { useMutation, useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { answer, api } from '@/api/client'
import { queries } from '@/api/queries'

interface Of {
  site: number
  type: string
}
const path = ({ site, type }: Of) => ({ params: { path: { site_id: site, name: type } } })

/** What suggestions go by for a record type, once somebody wants to see it. */
export const useLearnt = (of: () => Of, wanted: () => boolean) =>
  useQuery({
    queryKey: computed(() => ['learnt', of()]),
    queryFn: () => answer(api.GET('/api/sites/{site_id}/types/{name}/learnt', path(of()))),
    enabled: computed(wanted),
  })

export const useClearLearnt = () =>
  useMutation({
    mutationFn: (of: Of) => answer(api.DELETE('/api/sites/{site_id}/types/{name}/learnt', path(of))),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['learnt'] }),
  })
