import { useQueries } from '@tanstack/vue-query'
import { computed, ref, type Ref } from 'vue'
import { answer, api, type Schemas } from '@/api/client'

export const PAGE = 200

/** The pages of the sheet in a role that a range of rows needs, by the number of their first row. */
export function useRows(id: Ref<number>, from: Ref<number>, to: Ref<number>, sheet: Ref<string> = ref('')) {
  const pages = computed(() => {
    const first = Math.floor(from.value / PAGE)
    const last = Math.floor(Math.max(to.value, from.value) / PAGE)
    return Array.from({ length: last - first + 1 }, (_, index) => (first + index) * PAGE)
  })
  const results = useQueries({
    queries: computed(() =>
      pages.value.map((first) => ({
        queryKey: ['rows', id, first, sheet],
        staleTime: Infinity,
        queryFn: () =>
          answer(
            api.GET('/api/imports/{import_id}/rows', {
              params: { path: { import_id: id.value }, query: { first, count: PAGE, sheet: sheet.value } },
            }),
          ),
      })),
    ),
  })
  const rows = computed(() => {
    const found = new Map<number, Schemas['SheetRow']>()
    for (const { data } of results.value)
      (data?.rows as Schemas['SheetRow'][] | undefined)?.forEach((row, index) => found.set(data!.first + index, row))
    return found
  })
  return { rows, error: computed(() => results.value.find((one) => one.error)?.error ?? null) }
}
