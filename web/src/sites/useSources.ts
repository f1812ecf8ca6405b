import { useQuery } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { answer, api, type Schemas } from '@/api/client'

/** A sheet of a source, as it is chosen from a menu. */
export type SheetOfSource = { source: number; sheet: string; text: string }

/** The sources of a site, and all sheets in them, those that came last first. */
export function useSources(site: Ref<number>) {
  const { data } = useQuery({
    queryKey: ['sources', site],
    enabled: computed(() => site.value > 0),
    queryFn: () => answer(api.GET('/api/sites/{site_id}/sources', { params: { path: { site_id: site.value } } })),
  })
  return { sources: data, sheets: computed(() => (data.value ?? []).flatMap(sheetsOf)) }
}

function sheetsOf({ id, name, sheets }: Schemas['SourceView']): SheetOfSource[] {
  if (sheets.length < 2) return [{ source: id, sheet: sheets[0] ?? '', text: name }]
  return sheets.map((sheet) => ({ source: id, sheet, text: `${sheet} of ${name}` }))
}
