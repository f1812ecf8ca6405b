import { expect, it } from 'vitest'
import { listed, shown, counted, number, percent, spaced, span } from '@/parts/format'

it.each([
  [0, 'row', '0 rows'],
  [1, 'row', '1 row'],
  [2412, 'row', '2,412 rows'],
  [2, 'entry', '2 entries'],
  [1, 'entry', '1 entry'],
  [2, 'key', '2 keys'],
  [3, 'series', '3 series'],
])('counts %s of %s with the noun', (count, noun, told) => {
  expect(counted(count, noun)).toBe(told)
})

it('puts what is told of them behind the noun', () => {
  expect(counted(31, 'row', 'held')).toBe('31 rows held')
})

it('writes large numbers with separators', () => {
  expect(number(1_000_000)).toBe('1,000,000')
})

it('writes shares with one place at most, and none of nothing', () => {
  expect(percent(1, 3)).toBe('33.3%')
  expect(percent(2, 2)).toBe('100%')
  expect(percent(0, 0)).toBe('0%')
})

it.each([
  [0.2, 'under a second'],
  [1, '1 second'],
  [89, '89 seconds'],
  [120, '2 minutes'],
  [5400, '1.5 hours'],
])('says %s seconds as a person does', (seconds, told) => {
  expect(span(seconds)).toBe(told)
})

it('shows the spaces at either end of a text, and line ends', () => {
  expect(spaced('  Ada  Corfield ')).toBe('␣␣Ada  Corfield␣')
  expect(spaced('two\r\nlines')).toBe('two⏎lines')
  expect(spaced('plain')).toBe('plain')
})

it('names several as one phrase', () => {
  expect([listed(['customers']), listed(['customers', 'offers']), listed(['customers', 'offers', 'terms'])]).toEqual([
    'customers',
    'customers and offers',
    'customers, offers and terms',
  ])
})

it.each<[unknown, string]>([
  [null, 'blank'],
  ['', 'blank'],
  [0, '0'],
  [false, 'false'],
  [['a', 'b'], 'a, b'],
  [[{ sku: 'QB-1' }, { sku: 'QB-2' }], '2 items'],
  [{ city: 'Ryewick' }, '{"city":"Ryewick"}'],
])('shows %j as %j', (value, text) => {
  expect(shown(value)).toBe(text)
})
