import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { answer, api } from '@/api/client'
import type { FieldMapping, Mapping } from '@/stations/map/useMapping'

const nothing: Pick<Mapping, 'fields' | 'left_out'> = { fields: {}, left_out: [] }

/** Everything about one field under a mapping that need not be saved yet. */
export function useField(
  id: Ref<number>,
  field: Ref<string>,
  mapping: Ref<FieldMapping>,
  row: Ref<number | undefined>,
  whole: Ref<Mapping>,
  line: Ref<number>,
) {
  const question = computed(() => ({
    field: field.value,
    mapping: mapping.value,
    row: row.value,
    line: line.value,
    // Only what a field's landing can depend on, so that an edit elsewhere asks nothing anew.
    whole: {
      ...nothing,
      tables: whole.value.tables,
      parameters: whole.value.parameters,
      rows: whole.value.rows,
      shape: whole.value.shape,
      links: whole.value.links,
    },
  }))
  return useQuery({
    queryKey: ['field', id, question],
    queryFn: ({ signal }) =>
      answer(
        api.POST('/api/imports/{import_id}/inspect', {
          params: { path: { import_id: id.value } },
          body: question.value,
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
  })
}

/** The mapping with every pair added to its value table that is beyond doubt. */
export const completeTable = (id: number, field: string, mapping: FieldMapping) =>
  answer(
    api.POST('/api/imports/{import_id}/value-table', {
      params: { path: { import_id: id } },
      body: { field, mapping, line: 1 },
    }),
  )
