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
    links: {
      customer_id: { by: ['email'], missing: 'make', made: { name: { columns: ['Surname', 'its key'], steps: [] } } },
      parent_id: { by: ['name'], missing: 'hold' },
    },
    shape: [
      { kind: 'rows together', key: ['Surname'], lines: ['Notes', 'SKU'], into: 'Surname' },
      { kind: 'column sets', sets: [{ Surname: 'Surname' }, { Surname: 'Other 2' }], into: 'lines' },
    ],
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
  expect(now.links?.customer_id?.made?.name?.columns).toEqual(['Family [name]', 'its key'])
  expect(now.shape).toEqual([
    { kind: 'rows together', key: ['Family [name]'], lines: ['Remarks', 'SKU'], into: 'Surname' },
    { kind: 'column sets', sets: [{ Surname: 'Family [name]' }, { Surname: 'Other 2' }], into: 'lines' },
  ])
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

it('knows the columns that shapes are made of and that feed what links make', () => {
  const fed = (column: string) => ({ columns: [column, 'its key'], steps: [], blank: 'keep', reasons: [] })
  const mapping = {
    left_out: [],
    fields: {},
    links: {
      customer_id: { by: ['email'], missing: 'make', made: { name: fed('Customer') } },
      grower_id: { by: ['name'], missing: 'hold', made: { name: fed('Not this') } },
    },
    shape: [
      { kind: 'tree', way: 'path', columns: ['Path'], separator: '>', key: '' },
      { kind: 'originals', group: 'Group', language: 'Language', original: 'en', given: 'Title' },
    ],
  } as unknown as Mapping
  expect([...usedColumns(mapping)].sort()).toEqual(['Customer', 'Group', 'Path'])
})
