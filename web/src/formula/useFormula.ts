import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import { computed, inject, type InjectionKey, type Ref } from 'vue'
import { answer, api, type Schemas } from '@/api/client'

/** Where a formula is written: the import, its columns, and the rows on which it is tried. */
export interface FormulaPlace {
  id: Ref<number>
  columns: Ref<string[]>
  rows: Ref<number[]>
  whole: Ref<Schemas['Mapping'] | null>
  /** The list in whose objects it is worked out, where it is that of a field in one. */
  inList?: Ref<string | null>
}

export const formulaPlace: InjectionKey<FormulaPlace> = Symbol('where formulas are written')

/** Every function that formulas know; they never change while the server runs. */
export const useFunctions = () =>
  useQuery({
    queryKey: ['functions'],
    queryFn: () => answer(api.GET('/api/formulas/functions')),
    staleTime: Infinity,
  })

/** What a formula makes of the rows that are shown, while it is written. */
export function useTriedFormula(
  text: Ref<string>,
  field: Ref<Schemas['FieldMapping'] | undefined>,
  until: Ref<number>,
) {
  const place = inject(formulaPlace)
  if (!place) throw new Error('A formula is written outside of an import')
  const settled = refDebounced(text, 120)
  const question = computed(() => ({
    text: settled.value,
    rows: place.rows.value,
    field: field.value,
    until: until.value,
    whole: place.whole.value ?? undefined,
    in_list: place.inList?.value ?? undefined,
  }))
  const tried = useQuery({
    queryKey: ['formula', place.id, question],
    queryFn: ({ signal }) =>
      answer(
        api.POST('/api/imports/{import_id}/formula', {
          params: { path: { import_id: place.id.value } },
          body: question.value,
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
    enabled: computed(() => !!settled.value.trim()),
  })
  return { ...tried, columns: place.columns, settled }
}
