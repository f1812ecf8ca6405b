import { expect, it } from 'vitest'
import { usedColumns, withRenamed } from '@/stations/map/renamed'
import type { Mapping } from '@/stations/map/useMapping'

it('names a column anew wherever the mapping names it', () => {
  const mapping = {
    fields: {
      name: {
        columns: ['First', 'Surname'],
        steps: [
          { kind: 'formula', text: '=[Surname]&"[Surname]"&[A]]b]' },
          { kind: 'when', condition: '=[Surname]=""', then: '=[Other]' },
        ],
        blank: 'keep',
        reasons: [],
      },
    },
    left_out: ['Notes'],
    rows: { conditions: [{ column: 'Surname', test: 'is', value: 'x' }], match: 'all', formula: '', skip: 0 },
  } as unknown as Mapping
  const now = withRenamed(mapping, [
    { before: 'Surname', after: 'Family [name]', reason: '' },
    { before: 'Notes', after: 'Remarks', reason: '' },
  ])
  expect(now.fields?.name?.columns).toEqual(['First', 'Family [name]'])
  expect(now.fields?.name?.steps).toEqual([
    { kind: 'formula', text: '=[Family [name]]]&"[Surname]"&[A]]b]' },
    { kind: 'when', condition: '=[Family [name]]]=""', then: '=[Other]' },
  ])
  expect(now.rows?.conditions[0]?.column).toBe('Family [name]')
  expect(now.left_out).toEqual(['Remarks'])
})

it('knows every column that something uses, in formulas and in the filter of rows too', () => {
  const mapping: Mapping = {
    left_out: [],
    fields: {
      name: {
        columns: ['A'],
        steps: [
          { kind: 'formula', text: '=[B]&"[not this]"' },
          { kind: 'when', condition: '=[C]=1', then: '=[D]' },
          { kind: 'phone_by_country', column: 'E' },
        ],
        blank: 'keep',
        reasons: [],
      },
    },
    rows: { conditions: [{ column: 'F', test: 'is', value: '' }], match: 'all', formula: '=[G [1]]]="x"', skip: 0 },
  }
  expect([...usedColumns(mapping)].sort()).toEqual(['A', 'B', 'C', 'D', 'E', 'F', 'G [1]'])
})
