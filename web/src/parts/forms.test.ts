import { expect, it } from 'vitest'
import { begun, hasInputs, isWhole, shapes, stepGroups, steps } from '@/parts/forms'

it.each(steps.map((one) => [one.kind, one] as const))('a step of kind %s begins whole', (kind, one) => {
  const made = begun(kind)
  expect(made.kind).toBe(kind)
  for (const [name, input] of Object.entries(one.schema.properties)) {
    expect(made, name).toHaveProperty([name])
    if (input.options) expect(Object.keys(input.options)).toContain(made[name])
  }
  expect(stepGroups).toContain(one.group)
})

it('every step has a name of its own, and is one of its own when begun', () => {
  const labels = [...steps, ...shapes].map((one) => one.label)
  expect(new Set(labels).size).toBe(labels.length)
  for (const { kind } of steps) expect(begun(kind)).not.toBe(begun(kind))
  expect(hasInputs('trim')).toBe(false)
})

it('a shape is whole when all that it requires is given', () => {
  expect(isWhole('rows together', { key: ['a'], lines: [], into: 'lines' })).toBe(false)
  expect(isWhole('rows together', { key: ['a'], lines: ['b'], into: 'lines' })).toBe(true)
  expect(isWhole('spread', { sets: {} })).toBe(false)
  expect(isWhole('further rows', { sheet: '' })).toBe(false)
})
