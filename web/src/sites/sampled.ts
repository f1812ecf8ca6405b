import type { Schemas } from '@/api/client'
import { counted, number, percent } from '@/parts/format'

/** What the records that were read say of a field. */
export interface Seen {
  /** Why it is no key, though the description has it as one. */
  shared: string
  /** That it could be a key. */
  differs: string
  /** What it points at, though the description does not say so. */
  points: Schemas['LinkSampleView'] | undefined
  /** Of what it points at, what is not there. */
  lost: string
}

export function seenOf(field: Schemas['SiteFieldView'], sample: Schemas['SampleView'] | undefined): Seen {
  const key = sample?.keys.find((one) => one.fields.length === 1 && one.fields[0] === field.path)
  const link = sample?.links.find((one) => one.field === field.path)
  const lost = link?.stated ? link.values - link.found : 0
  return {
    shared:
      key?.stated && key.shared
        ? `${counted(key.shared, 'value')} ${key.shared === 1 ? 'stands' : 'stand'} more than once, such as “${key.example}”`
        : '',
    differs: key && !key.stated && !field.key ? `all ${number(key.records)} differ` : '',
    points: link && !link.stated ? link : undefined,
    lost: link && lost > 0 ? `${number(lost)} of ${counted(link.values, 'value')} are not there` : '',
  }
}

/** Why something is thought of a record type; of a guess, how sure that is. */
export function reason({ confidence, why }: { confidence: number; why: string }): string {
  if (confidence === 1) return 'you said so'
  return isGuess(confidence) ? `${why}; ${percent(confidence, 1)} sure` : why
}

export const isGuess = (confidence: number) => confidence < 0.85
