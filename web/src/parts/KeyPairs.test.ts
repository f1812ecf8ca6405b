import { expect, it, vi } from 'vitest'
import KeyPairs from '@/parts/KeyPairs.vue'
import { open } from '@/testing/page'

const columns = ['Year', 'Order no.', 'Sum']
const others = ['Order no.', 'Jahr', 'Qty']

function choose(label: string, name: string) {
  const select = document.querySelector<HTMLSelectElement>(`[aria-label="${label}"]`)!
  select.value = name
  select.dispatchEvent(new Event('change'))
}

it('pairs a column with the one of the same name, and leaves what was paired otherwise', async () => {
  const change = vi.fn()
  await open(KeyPairs, { ours: [], theirs: [], columns, others, onChange: change })
  choose('this sheet’s key 1', 'Order no.')
  expect(change).toHaveBeenLastCalledWith({ ours: ['Order no.'], theirs: ['Order no.'] })
  await open(KeyPairs, { ours: ['Year'], theirs: ['Jahr'], columns, others, onChange: change })
  choose('this sheet’s key 1', 'Order no.')
  expect(change).toHaveBeenLastCalledWith({ ours: ['Order no.'], theirs: ['Jahr'] })
})

it('keeps several pairs in their order, and takes one away', async () => {
  const change = vi.fn()
  const given = { ours: ['Order no.', 'Year'], theirs: ['Order no.', ''], columns, others, onChange: change }
  const page = await open(KeyPairs, given)
  choose('that sheet’s key 2', 'Jahr')
  expect(change).toHaveBeenLastCalledWith({ ours: ['Order no.', 'Year'], theirs: ['Order no.', 'Jahr'] })
  await page.press('Without key 1')
  expect(change).toHaveBeenLastCalledWith({ ours: ['Year'], theirs: [''] })
  await page.press('and another column')
  expect(change).toHaveBeenLastCalledWith({ ours: ['Order no.', 'Year', ''], theirs: ['Order no.', '', ''] })
})
