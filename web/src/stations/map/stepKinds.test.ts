import { expect, it } from 'vitest'
import { stepKinds } from '@/stations/map/stepKinds'

const kinds = Object.entries(stepKinds)

it.each(kinds)('a step of kind %s begins with a value for each of its inputs', (kind, { make, inputs }) => {
  const made = make() as Record<string, unknown>
  expect(made.kind).toBe(kind)
  for (const input of inputs) {
    expect(made, input.name).toHaveProperty(input.name)
    if (input.list) expect(made[input.name]).toBeInstanceOf(Array)
    if (input.truth) expect(made[input.name]).toBeTypeOf('boolean')
    if (input.number) expect(made[input.name]).toBeTypeOf('number')
    if (input.options) expect(input.options.map((option) => option.value)).toContain(made[input.name])
  }
})

it('every step has a name of its own', () => {
  const labels = kinds.map(([, kind]) => kind.label)
  expect(new Set(labels).size).toBe(labels.length)
})

it('each begun step is one of its own, so that editing one leaves the next as it is', () => {
  for (const [, { make }] of kinds) expect(make()).not.toBe(make())
})
