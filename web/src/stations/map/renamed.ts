import type { Schemas } from '@/api/client'
import type { Mapping } from '@/stations/map/useMapping'

type Feed = NonNullable<Mapping['fields']>[string]
type Shape = NonNullable<Mapping['shape']>[number]
type Now = (name: string) => string

/** A mapping that names columns as a sheet calls them now, in feeds, in what links make, in shapes and in the filter of
 * rows. Formulas name them in brackets, outside of texts. */
export function withRenamed(mapping: Mapping, renamed: Schemas['Renamed'][]): Mapping {
  const names = new Map(renamed.map((one) => [one.before, one.after]))
  return named(mapping, (name) => names.get(name) ?? name)
}

/** The columns that a mapping uses: those that feed a field or what a link makes, that a step looks at, that a shape is
 * made of, or that decide which rows go on. */
export function usedColumns(mapping: Mapping): Set<string> {
  const used = new Set<string>()
  const made = Object.entries(mapping.links ?? {}).filter(([, rule]) => rule.missing === 'make')
  // The language of originals may feed a field as well, and has to where the site keeps it.
  const shape = mapping.shape?.map((one) => (one.kind === 'originals' ? { ...one, language: '', given: '' } : one))
  named({ ...mapping, links: Object.fromEntries(made), shape, left_out: [] }, (name) => {
    used.add(name)
    return name
  })
  return used
}

/** A mapping with each name of a column that it has as `now` gives it. */
function named(mapping: Mapping, now: Now): Mapping {
  return {
    ...mapping,
    fields: namedFeeds(mapping.fields ?? {}, now),
    links: Object.fromEntries(
      Object.entries(mapping.links ?? {}).map(([path, rule]) => [
        path,
        typeof rule === 'string' ? rule : { ...rule, made: namedFeeds(rule.made ?? {}, now) },
      ]),
    ),
    shape: mapping.shape?.map((shape) => namedShape(shape, now)),
    rows: mapping.rows && {
      ...mapping.rows,
      conditions: mapping.rows.conditions.map((one) => ({ ...one, column: now(one.column) })),
      formula: inFormula(mapping.rows.formula, now),
    },
    left_out: mapping.left_out.map(now),
  } as Mapping
}

function namedFeeds(feeds: Record<string, Feed>, now: Now): Record<string, Feed> {
  return Object.fromEntries(
    Object.entries(feeds).map(([path, fed]) => [
      path,
      {
        ...fed,
        columns: fed.columns.map((name) => (OWN.has(name) ? name : now(name))),
        steps: fed.steps.map((step) => {
          if (step.kind === 'formula') return { ...step, text: inFormula(step.text, now) }
          if (step.kind === 'when')
            return { ...step, condition: inFormula(step.condition, now), then: inFormula(step.then, now) }
          return step.kind === 'phone_by_country' ? { ...step, column: now(step.column) } : step
        }),
      },
    ]),
  )
}

/** What stands for a key or a file among the columns that feed what a link makes. */
const OWN = new Set(['its key', 'its file'])
/** The parts of shapes that name columns of the sheet: one, several, or by what they hold. */
const OF_COLUMNS = ['column', 'columns', 'key', 'lines', 'ours', 'group', 'language', 'given', 'sets', 'shared']

function namedShape(shape: Shape, now: Now): Shape {
  const parts = Object.entries(shape).map(([name, value]) => [
    name,
    OF_COLUMNS.includes(name) ? deep(value, now) : value,
  ])
  return Object.fromEntries(parts) as Shape
}

function deep(value: unknown, now: Now): unknown {
  if (typeof value === 'string') return value && now(value)
  if (Array.isArray(value)) return value.map((one) => deep(one, now))
  if (value && typeof value === 'object')
    return Object.fromEntries(Object.entries(value).map(([name, one]) => [name, deep(one, now)]))
  return value
}

function inFormula(text: string, now: (name: string) => string): string {
  return text.replaceAll(/"(?:[^"]|"")*"|\[((?:[^\]]|\]\])*)\]/g, (part, column?: string) =>
    column === undefined ? part : `[${now(column.replaceAll(']]', ']')).replaceAll(']', ']]')}]`,
  )
}
