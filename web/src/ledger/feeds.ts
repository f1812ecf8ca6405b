import type { Schemas } from '@/api/client'

type FieldMapping = Schemas['FieldMapping']

/** What feeds a field, in words. */
export function fedBy(mapping: FieldMapping | undefined): string {
  if (!mapping) return 'nothing yet'
  return mapping.columns.length ? mapping.columns.join(' + ') : (mapping.constant ?? 'nothing yet')
}

/** Why it does. */
export function why(mapping: FieldMapping | undefined): string {
  if (!mapping) return ''
  return mapping.columns.length ? (mapping.reasons[0] ?? '') : 'same for every row'
}

/** What is done to it on the way. */
export function stepsOf(mapping: FieldMapping | undefined, link: boolean): string {
  if (!mapping) return ''
  if (link) return mapping.value_table ? 'link, table' : 'link'
  if (mapping.value_table) return mapping.steps.length ? `${mapping.steps.length}, table` : 'table'
  return mapping.steps.length ? String(mapping.steps.length) : '–'
}
