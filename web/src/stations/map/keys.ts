import type { Mapping } from '@/stations/map/useMapping'

/** The fields that tell records apart together, in order. */
export const keysOf = (mapping: Mapping): string[] =>
  mapping.match_key ? [mapping.match_key, ...(mapping.key_with ?? [])] : []

/** These fields as the match key of a mapping; none where there are none. */
export const asKey = ([first, ...others]: string[]): Pick<Mapping, 'match_key' | 'key_with'> => ({
  match_key: first ?? null,
  key_with: others,
})

/** Whether further fields make a key tell more: not where the site keeps one of its fields unique. */
export const mayBeLonger = (keys: string[], fields: { path: string; unique?: boolean }[]): boolean =>
  !fields.some((field) => field.unique && keys.includes(field.path))
