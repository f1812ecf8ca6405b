import { expect, it } from 'vitest'
import { drawn, lines, placed } from '@/sites/layout'

const link = (field: string, to: string, confidence = 0.9) => ({
  field,
  to,
  by: 'id',
  many: false,
  confidence,
  why: 'its name',
})
const kinds = [
  { name: 'orders', links: [link('customer_id', 'customers'), link('lines.sku', 'products')], under: null },
  { name: 'customers', links: [], under: null },
  { name: 'products', links: [link('term_ids', 'terms'), link('image', 'media', 0.7)], under: null },
  { name: 'terms', links: [link('parent_id', 'terms')], under: null },
  { name: 'media', links: [], under: null },
  { name: 'reviews', links: [link('gone', 'no such type')], under: 'products' },
  { name: 'settings', links: [], under: null },
]
const at = (name: string) => placed(kinds).boxes.find((box) => box.name === name)!

it('puts a record type to the right of those that it points at, none upon another', () => {
  expect(at('orders').x).toBeGreaterThan(at('products').x)
  expect(at('products').x).toBeGreaterThan(at('terms').x)
  expect(at('customers').x).toBe(at('terms').x)
  expect(at('reviews').x).toBeGreaterThan(at('products').x)
  const places = placed(kinds).boxes.map((box) => `${box.x} ${box.y}`)
  expect(new Set(places).size).toBe(kinds.length)
})

it('stays within its size, also where links go round', () => {
  const round = [
    { name: 'a', links: [link('b', 'b')], under: null },
    { name: 'b', links: [link('a', 'a')], under: null },
  ]
  for (const some of [kinds, round, []]) {
    const { boxes, width, height } = placed(some)
    expect(boxes.length).toBe(some.length)
    for (const box of boxes) expect([box.x + 174 < width, box.y + 46 < height]).toEqual([true, true])
  }
})

it('draws what is sure apart from what is guessed, and leaves out what leads nowhere', () => {
  expect(lines(kinds).map((line) => [line.from, line.to, line.label, line.sure])).toEqual([
    ['orders', 'customers', 'customer_id', true],
    ['orders', 'products', 'lines.sku', true],
    ['products', 'terms', 'term_ids', true],
    ['products', 'media', 'image', false],
    ['terms', 'terms', 'parent_id', true],
    ['reviews', 'products', 'belongs to', true],
  ])
})

it('has one line for several fields that point at the same', () => {
  const fields = ['billing', 'shipping', 'gift'].map((field) => link(field, 'customers'))
  const found = lines([{ name: 'orders', links: fields, under: null }, kinds[1]!])
  expect(found.map((line) => line.label)).toEqual(['billing and 2 more'])
})

it('draws a loop for what points at its own kind, and begins no two lines of a box at one place', () => {
  const found = drawn(kinds, placed(kinds).boxes)
  expect(found.find((line) => line.key.startsWith('terms terms'))?.path).toMatch(/v12h80v-12$/)
  expect(new Set(found.map((line) => line.path.split('C')[0])).size).toBe(found.length)
  expect(new Set(found.map((line) => `${Math.round(line.x)} ${Math.round(line.y)}`)).size).toBe(found.length)
})
