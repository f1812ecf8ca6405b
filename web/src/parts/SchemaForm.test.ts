import { expect, it, vi } from 'vitest'
import { kindOf } from '@/parts/forms'
import SchemaForm from '@/parts/SchemaForm.vue'
import SetsEditor from '@/parts/SetsEditor.vue'
import { open } from '@/testing/page'

const columns = ['Order no.', 'SKU', 'Qty']

it('asks for what the server says of a kind, and gives back what was chosen', async () => {
  const kind = kindOf('rows together')
  const value = { kind: 'rows together', key: ['Order no.'], lines: ['SKU'], into: 'lines', below: false }
  const onChange = vi.fn()
  const page = await open(SchemaForm, { kind, value, columns, lists: ['lines', 'fees'], onChange })
  const keys = page.find('[aria-label="a record has the same"]') as HTMLSelectElement
  expect([...keys.selectedOptions].map((one) => one.value)).toEqual(['Order no.'])
  page.find('[type=checkbox]').click()
  expect(onChange).toHaveBeenLastCalledWith({ ...value, below: true })
})

it('reads words with commas between them as a list', async () => {
  const value = { kind: 'blank_when', words: ['n/a'] }
  const onChange = vi.fn()
  const page = await open(SchemaForm, { kind: kindOf('blank_when'), value, columns, onChange })
  const words = page.find('[aria-label=words]') as HTMLInputElement
  words.value = 'none, -, '
  words.dispatchEvent(new Event('change'))
  expect(onChange).toHaveBeenLastCalledWith({ ...value, words: ['none', '-'] })
})

it('has a table of columns for sets, numbered or named', async () => {
  const onChange = vi.fn()
  const numbered = await open(SetsEditor, { named: false, columns, value: [{ SKU: 'SKU' }], onChange })
  await numbered.press('Add a set')
  expect(onChange).toHaveBeenLastCalledWith([{ SKU: 'SKU' }, { SKU: 'Order no.' }])
  const named = await open(SetsEditor, { named: true, columns, value: { en: { Title: 'SKU' } }, onChange })
  const called = named.find('[aria-label="What the set is called"]') as HTMLInputElement
  called.value = 'nb'
  called.dispatchEvent(new Event('change'))
  expect(onChange).toHaveBeenLastCalledWith({ nb: { Title: 'SKU' } })
})
