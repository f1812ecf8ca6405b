import { useQuery } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { answer, api, type Schemas } from '@/api/client'
import { time } from '@/parts/format'

/** A sheet of a source, as it is chosen from a menu; `role`: what records would know it by. */
export type SheetOfSource = { source: number; sheet: string; text: string; role: string }

/** The sources of a site, and all sheets in them, those that came last first. */
export function useSources(site: Ref<number>) {
  const { data } = useQuery({
    queryKey: ['sources', site],
    enabled: computed(() => site.value > 0),
    queryFn: () => answer(api.GET('/api/sites/{site_id}/sources', { params: { path: { site_id: site.value } } })),
  })
  const sheets = computed(() => (data.value ?? []).flatMap((one) => sheetsOf(one, data.value ?? [])))
  return { sheets }
}

function sheetsOf({ id, name, sheets, at }: Schemas['SourceView'], all: Schemas['SourceView'][]): SheetOfSource[] {
  // Files of one name are told apart by when they came.
  const called = all.filter((one) => one.name === name).length > 1 ? `${name}, ${time(at)}` : name
  if (sheets.length < 2)
    return [{ source: id, sheet: '', text: called, role: sheets[0] ? `${sheets[0]} of ${name}` : name }]
  return sheets.map((sheet) => ({ source: id, sheet, text: `${sheet} of ${called}`, role: `${sheet} of ${name}` }))
}
