import { expect, it, vi } from 'vitest'
import ShapeByHand from '@/stations/read/ShapeByHand.vue'
import { open, type Page } from '@/testing/page'

const headers = ['Order no.', 'SKU', 'Qty']
const plain = { shapes: [], found: [], beside: [], offered: [], lists: ['lines'], version: 1 }
const kinds = (page: Page) =>
  [...(page.find('[aria-label="Choose by hand"]') as HTMLSelectElement).options].map((option) => option.text)
function choose(page: Page, label: string) {
  const field = page.find('[aria-label="Choose by hand"]') as HTMLSelectElement
  field.value = [...field.options].find((option) => option.text === label)!.value
  field.dispatchEvent(new Event('change'))
}

it('offers what the record type and the sheets there are have something for', async () => {
  expect(kinds(await open(ShapeByHand, { view: plain, headers }))).not.toContain('Rows of another sheet')
  const beside = [{ name: 'lines.csv', rows: 3, columns: ['Order no.'] }]
  expect(kinds(await open(ShapeByHand, { view: { ...plain, beside }, headers }))).toContain('Rows of another sheet')
  expect(kinds(await open(ShapeByHand, { view: { ...plain, lists: [] }, headers }))).not.toContain('Sets of columns')
})

it('begins with what is there, and makes records once all is given', async () => {
  const onTake = vi.fn()
  const there = { kind: 'rows together', key: ['Order no.'], below: false, lines: ['SKU'], into: 'lines' }
  const page = await open(ShapeByHand, { view: { ...plain, shapes: [there] }, headers, onTake })
  choose(page, 'Rows with the same key')
  await page.press('Make records so')
  expect(onTake).toHaveBeenCalledWith(there)
})

it('does not make records of half a shape', async () => {
  const page = await open(ShapeByHand, { view: plain, headers })
  choose(page, 'Rows with the same key')
  await vi.waitUntil(() => document.querySelector('[aria-label="each row adds"]'))
  expect(page.actions()).not.toContain('Make records so')
})
