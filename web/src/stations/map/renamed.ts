import type { Schemas } from '@/api/client'
import type { Mapping } from '@/stations/map/useMapping'

/** A mapping that names columns as a sheet calls them now. Formulas name them in brackets, outside of texts. */
export function withRenamed(mapping: Mapping, renamed: Schemas['Renamed'][]): Mapping {
  const names = new Map(renamed.map((one) => [one.before, one.after]))
  const now = (name: string) => names.get(name) ?? name
  const fields = Object.fromEntries(
    Object.entries(mapping.fields ?? {}).map(([path, fed]) => [
      path,
      {
        ...fed,
        columns: fed.columns.map(now),
        steps: fed.steps.map((step) => {
          if (step.kind === 'formula') return { ...step, text: inFormula(step.text, now) }
          if (step.kind === 'when')
            return { ...step, condition: inFormula(step.condition, now), then: inFormula(step.then, now) }
          return step.kind === 'phone_by_country' ? { ...step, column: now(step.column) } : step
        }),
      },
    ]),
  )
  const rows = mapping.rows && {
    ...mapping.rows,
    conditions: mapping.rows.conditions.map((one) => ({ ...one, column: now(one.column) })),
    formula: inFormula(mapping.rows.formula, now),
  }
  return { ...mapping, fields, rows, left_out: mapping.left_out.map(now) }
}

/** The columns that feed a field, that a step of one looks at, or that decide which rows go on. */
export function usedColumns(mapping: Mapping): Set<string> {
  const used = new Set(mapping.rows?.conditions.map((one) => one.column))
  const inText = (text: string) =>
    inFormula(text, (name) => {
      used.add(name)
      return name
    })
  inText(mapping.rows?.formula ?? '')
  for (const fed of Object.values(mapping.fields ?? {})) {
    fed.columns.forEach((name) => used.add(name))
    for (const step of fed.steps) {
      if (step.kind === 'formula') inText(step.text)
      else if (step.kind === 'when') inText(step.condition + step.then)
      else if (step.kind === 'phone_by_country') used.add(step.column)
    }
  }
  return used
}

function inFormula(text: string, now: (name: string) => string): string {
  return text.replaceAll(/"(?:[^"]|"")*"|\[((?:[^\]]|\]\])*)\]/g, (part, column?: string) =>
    column === undefined ? part : `[${now(column.replaceAll(']]', ']')).replaceAll(']', ']]')}]`,
  )
}
