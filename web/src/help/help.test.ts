import { expect, it, vi } from 'vitest'
import FormulaReference from '@/help/FormulaReference.vue'
import { keys, stations } from '@/help/guide'
import KeysDialog from '@/help/KeysDialog.vue'
import NowhereView from '@/help/NowhereView.vue'
import { open } from '@/testing/page'
import { server } from '@/testing/server'
import { useDialogs } from '@/workbench/useDialogs'

const trim = { name: 'TRIM', signature: 'TRIM(text)', summary: 'The text without spaces at its ends.', group: 'Text' }
const round = { name: 'ROUND', signature: 'ROUND(x; n)', summary: 'x with n decimals.', group: 'Mathematics' }

it('finds functions by any word of what they do', async () => {
  server.answers['GET /api/formulas/functions'] = [trim, round]
  const page = await open(FormulaReference)
  await vi.waitUntil(() => page.text().includes('2 functions'))
  const field = page.find('input') as HTMLInputElement
  field.value = 'spaces text'
  field.dispatchEvent(new Event('input'))
  await vi.waitUntil(() => page.text().includes('1 function'))
  expect(page.text()).toContain('TRIM(text)')
  expect(page.text()).not.toContain('ROUND')
})

it.each(stations)('shows the keys of %s', async (station, name) => {
  const page = await open(KeysDialog, {}, { at: `/imports/7/${station}` })
  document.body.dispatchEvent(new KeyboardEvent('keydown', { key: '?', bubbles: true }))
  await vi.waitUntil(() => page.text().includes('the keys of this screen'))
  expect(page.text()).toContain(`Keys at ${name}`)
  expect(document.querySelectorAll('dt')).toHaveLength(keys[station].length)
  useDialogs().shortcuts.value = false
})

it('says of an address that nothing is there, and leads back', async () => {
  const page = await open(NowhereView, {}, { at: '/importz/7' })
  expect(page.text()).toContain('/importz/7')
  expect(page.actions()).toContain('Go to the imports')
})
