import { expect, it } from 'vitest'
import { withRenamed } from '@/stations/map/renamed'
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
