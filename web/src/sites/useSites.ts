import { useMutation, useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
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
    mutationFn: ({ id, imports }: { id: number; imports: number | null }) =>
      answer(api.DELETE('/api/sites/{site_id}', { params: { path: { site_id: id }, query: { imports } } })),
    onSuccess: fresh,
  })

export const useSetLimits = () =>
  useMutation({
    mutationFn: ({ id, limits }: { id: number; limits: Schemas['SiteLimits'] }) =>
      answer(api.PUT('/api/sites/{site_id}/limits', { params: { path: { site_id: id } }, body: limits })),
    onSuccess: fresh,
  })

/** What can be corrected of a record type, in words. */
export const CORRECTABLE = {
  title: 'Name',
  id_field: 'Field with the id',
  items_at: 'Where a list has its records',
  entry: 'What wraps each of them',
  total_at: 'Where it says how many there are',
  page: 'Parameter for the page',
  offset: 'Parameter for how many to pass over',
  cursor: 'Parameter for the mark of a page',
  size: 'Parameter for how many at a time',
  size_most: 'As many at most',
  next_at: 'Where the address of the next page is',
  next_token_at: 'Where the mark of the next page is',
  first: 'Number of the first page, 0 or 1',
  answer_at: 'What wraps one record in an answer',
  body_at: 'What wraps one in a request',
  page_field: 'Field with the address of its page',
  silences_mail: 'Parameter that silences mail',
} as const

const pageOf = (id: number) => ['sites', id]

export const useSitePage = (id: () => number) =>
  useQuery({
    queryKey: computed(() => pageOf(id())),
    queryFn: () => answer(api.GET('/api/sites/{site_id}', { params: { path: { site_id: id() } } })),
  })

/** Asks the list of each record type for its first page. */
export const useSiteHealth = (id: () => number) =>
  useMutation({
    mutationFn: () => answer(api.POST('/api/sites/{site_id}/health', { params: { path: { site_id: id() } } })),
  })

export const useCorrectType = () =>
  useMutation({
    mutationFn: ({ site, type, correction }: { site: number; type: string; correction: Schemas['Correction'] }) =>
      answer(
        api.PUT('/api/sites/{site_id}/types/{name}', {
          params: { path: { site_id: site, name: type } },
          body: correction,
        }),
      ),
    onSuccess: fresh,
  })

/** Corrections from a file, in place of those that are. */
export const useTakeCorrections = () =>
  useMutation({
    mutationFn: async ({ site, file }: { site: number; file: File }) => {
      const body = parsed(await file.text(), file.name)
      return answer(api.PUT('/api/sites/{site_id}/overlay', { params: { path: { site_id: site } }, body }))
    },
    onSuccess: fresh,
  })

function parsed(text: string, name: string): Record<string, unknown> {
  try {
    return JSON.parse(text) as Record<string, unknown>
  } catch {
    throw new Error(`${name} is no JSON. Take a file of corrections that was downloaded from a Datorum.`)
  }
}
