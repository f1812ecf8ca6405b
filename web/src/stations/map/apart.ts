import type { FieldMapping, Mapping } from '@/stations/map/useMapping'

type Rule = NonNullable<Mapping['links']>[string]

/** What feeds a link that is found by several fields together: its columns stay apart, one for each of them. */
export function apart(fed: FieldMapping, rule: Rule | undefined): FieldMapping {
  if ((rule?.by ?? []).length < 2) return fed
  return { ...fed, steps: fed.steps?.filter((step) => step.kind !== 'join') }
}
