import { useMutation, useQuery } from '@tanstack/vue-query'
import { answer, api, type Schemas } from '@/api/client'
import { queries } from '@/api/queries'

/** What a person says of a site. Without a token a known site keeps its own. */
export interface SiteFields {
  name: string
  address: string
  token: string | null
  server: string
}

export const useSites = () => useQuery({ queryKey: ['sites'], queryFn: () => answer(api.GET('/api/sites')) })

const fresh = () => queries.invalidateQueries({ queryKey: ['sites'] })

export const useConnectSite = () =>
  useMutation({
    mutationFn: (site: SiteFields) =>
      answer(api.POST('/api/sites', { body: { ...site, token: site.token ?? '' } satisfies Schemas['NewSite'] })),
    onSuccess: fresh,
  })

/** Changes a site; with nothing to change, it is only tried again. */
export const useChangeSite = () =>
  useMutation({
    mutationFn: ({ id, ...change }: Partial<SiteFields> & { id: number }) =>
      answer(
        api.PUT('/api/sites/{site_id}', {
          params: { path: { site_id: id } },
          body: { name: '', address: '', server: '', ...change },
        }),
      ),
    onSuccess: fresh,
  })

export const useRemoveSite = () =>
  useMutation({
    mutationFn: (id: number) => answer(api.DELETE('/api/sites/{site_id}', { params: { path: { site_id: id } } })),
    onSuccess: fresh,
  })
