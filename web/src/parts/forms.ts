import told from '@/api/forms.json'

/** What can be set of one value of a step or a shape, as JSON Schema has it (2020-12), with how it is given. */
export interface Input {
  title: string
  type?: string
  description?: string
  /** The words for each of the values that can be chosen. */
  options?: Record<string, string>
  /** What is often written here, offered while one types. */
  usual?: string[]
  editor?: 'formula' | 'column' | 'columns' | 'list' | 'sheet' | 'keys' | 'keys there' | 'sets' | 'named sets'
}

/** One kind of step or shape: its place in the menu, what one begins with, and what can be set of it. */
export interface Kind {
  kind: string
  label: string
  group: string
  also: string
  begins: Record<string, unknown>
  schema: { properties: Record<string, Input>; required: string[] }
}

export const stepGroups: string[] = told.groups
export const steps = told.steps as unknown as Kind[]
export const shapes = told.shapes as unknown as Kind[]
const byKind = new Map([...steps, ...shapes].map((one) => [one.kind, one]))

/** A kind of step or shape by its name, which the server keeps. */
export function kindOf(kind: string): Kind {
  const found = byKind.get(kind)
  if (!found) throw new Error(`There is no kind ${kind}.`)
  return found
}

/** A new one of a kind, of its own, so that editing one leaves the next as it is. */
export const begun = (kind: string) => structuredClone(kindOf(kind).begins)

export const hasInputs = (kind: string) => Object.keys(kindOf(kind).schema.properties).length > 0

/** Whether all that a kind requires is given. */
export function isWhole(kind: string, value: Record<string, unknown>): boolean {
  return kindOf(kind).schema.required.every((name) => {
    const given = value[name]
    if (Array.isArray(given)) return given.length > 0 && given.every((one) => one !== '')
    return typeof given === 'object' && given ? Object.keys(given).length > 0 : !!given
  })
}
