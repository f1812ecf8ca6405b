import { useMutation, useQuery } from '@tanstack/vue-query'
import { answer, api, type Schemas } from '@/api/client'
import { queries } from '@/api/queries'
import { nothing } from '@/sites/signIn'

/** What a person says of a site. Without a sign-in a known site keeps its own. */
export interface SiteFields {
  name: string
  address: string
  sign_in: Schemas['SignIn'] | null
  servers: string[]
}

export const useSites = () => useQuery({ queryKey: ['sites'], queryFn: () => answer(api.GET('/api/sites')) })

const fresh = () => queries.invalidateQueries({ queryKey: ['sites'] })

export const useConnectSite = () =>
  useMutation({
    mutationFn: (site: SiteFields) =>
      answer(api.POST('/api/sites', { body: { ...site, sign_in: site.sign_in ?? nothing } })),
    onSuccess: fresh,
  })

/** Changes a site; with nothing to change, it is only tried again. */
export const useChangeSite = () =>
  useMutation({
    mutationFn: ({ id, ...change }: Partial<SiteFields> & { id: number }) =>
      answer(
        api.PUT('/api/sites/{site_id}', {
          params: { path: { site_id: id } },
          body: { name: '', address: '', servers: [], ...change },
        }),
      ),
    onSuccess: fresh,
  })

export const useRemoveSite = () =>
  useMutation({
    mutationFn: (id: number) => answer(api.DELETE('/api/sites/{site_id}', { params: { path: { site_id: id } } })),
    onSuccess: fresh,
  })
