import { useMutation, useQuery } from '@tanstack/vue-query'
import { computed, watch } from 'vue'
import { answer, api, type Schemas } from '@/api/client'
import { follow } from '@/api/events'
import { queries } from '@/api/queries'

const keyOf = (site: number) => ['snapshot', site]
const path = (site: number) => ({ params: { path: { site_id: site } } })

/** What is kept of each record type of a site, and what is being read, as it is told while it is. */
export function useSnapshot(site: () => number) {
  const found = useQuery({
    queryKey: computed(() => keyOf(site())),
    queryFn: () => answer(api.GET('/api/sites/{site_id}/snapshot', path(site()))),
  })
  const address = computed(() => (isReading(found.data.value) ? `/api/sites/${site()}/events` : null))
  watch(
    address,
    (where, _, onCleanup) => {
      if (!where) return
      const key = keyOf(site())
      onCleanup(follow<Schemas['ToldOfSite']>(where, (said) => queries.setQueryData(key, said.snapshot)))
    },
    { immediate: true },
  )
  return found
}

export const isReading = (snapshot: Schemas['SnapshotView'][] | undefined) =>
  !!snapshot?.some((one) => one.state === 'reading')

/** What the records that were read say of keys, links and open fields. */
export const useSamples = (site: () => number, asOf: () => string) =>
  useQuery({
    queryKey: computed(() => ['samples', site(), asOf()]),
    queryFn: () => answer(api.GET('/api/sites/{site_id}/samples', path(site()))),
    enabled: computed(() => !!asOf()),
  })

const fresh = (site: number) => queries.invalidateQueries({ queryKey: keyOf(site) })

export const useReadSite = () =>
  useMutation({
    mutationFn: ({ site, types }: { site: number; types: string[] }) =>
      answer(api.POST('/api/sites/{site_id}/snapshot', { ...path(site), body: { types } })),
    onSuccess: (_, { site }) => fresh(site),
  })

export const useStopReadingSite = () =>
  useMutation({
    mutationFn: (site: number) => answer(api.POST('/api/sites/{site_id}/snapshot/stop', path(site))),
    onSuccess: (_, site) => fresh(site),
  })

/** Asks the site with few requests whether what is kept is still so. */
export const useCheckSnapshot = () =>
  useMutation({
    mutationFn: (site: number) => answer(api.POST('/api/sites/{site_id}/snapshot/check', path(site))),
    onSuccess: (_, site) => fresh(site),
  })

export const useForgetSnapshot = () =>
  useMutation({
    mutationFn: (site: number) => answer(api.DELETE('/api/sites/{site_id}/snapshot', path(site))),
    onSuccess: (_, site) => fresh(site),
  })

/** How old something is, in words. */
export function age(moment: string, now: number): string {
  const minutes = Math.max(0, Math.round((now - new Date(moment).getTime()) / 60_000))
  if (minutes < 1) return 'just now'
  if (minutes < 60) return minutes === 1 ? '1 minute old' : `${minutes} minutes old`
  const hours = Math.round(minutes / 60)
  if (hours < 48) return hours === 1 ? '1 hour old' : `${hours} hours old`
  return `${Math.round(hours / 24)} days old`
}

/** A snapshot in a few words: how old its oldest part is, and how many records it holds. */
export function summed(snapshot: Schemas['SnapshotView'][] | undefined, now: number) {
  const kept = (snapshot ?? []).filter((one) => one.as_of !== null)
  if (!kept.length) return { records: 0, types: 0, age: '', asOf: '' }
  const records = kept.reduce((sum, one) => sum + (one.kept ?? 0), 0)
  const oldest = kept.map((one) => one.as_of!).sort()[0]!
  return { records, types: kept.length, age: age(oldest, now), asOf: kept.map((one) => one.as_of).join(' ') }
}
