import { expect, it } from 'vitest'
import { rowsIn } from '@/parts/rows'

it.each<[string, number[] | null]>([
  ['12', [12]],
  ['12, 15–17', [12, 15, 16, 17]],
  ['7-9;9 12', [7, 8, 9, 12]],
  ['', null],
  ['twelve', null],
  ['20-10', null],
  ['1-1000000', null],
])('rows written as %j are %j', (text, rows) => {
  expect(rowsIn(text)).toEqual(rows)
})
