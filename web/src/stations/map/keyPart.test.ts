import { expect, it, vi } from 'vitest'
import KeyPart from '@/stations/map/KeyPart.vue'
import { open } from '@/testing/page'

const part = async (more: object) => {
  const onChange = vi.fn()
  const props = { path: 'language', keys: [], mayBeKey: false, mayBeInKey: true, disabled: false, onChange, ...more }
  return { page: await open(KeyPart, props), onChange }
}

it('a field with a few values stands in a key beside another, and never alone', async () => {
  const alone = await part({})
  expect(alone.page.actions()).toEqual([])
  const { page, onChange } = await part({ keys: ['leaflet_id'] })
  expect(page.actions()).toEqual(['Add it to the match key'])
  await page.press('Add it to the match key')
  expect(onChange).toHaveBeenCalledWith(['leaflet_id', 'language'])
})

it('a field that tells records apart is the key, or is added to it', async () => {
  const { page, onChange } = await part({ path: 'slug', keys: ['email'], mayBeKey: true })
  expect(page.actions()).toEqual(['Make it the match key', 'Add it to the match key'])
  await page.press('Make it the match key')
  expect(onChange).toHaveBeenCalledWith(['slug'])
})

it('one of several is taken out, and the only one is not', async () => {
  const several = await part({ keys: ['leaflet_id', 'language'] })
  expect(several.page.text()).toContain('Match key with another field')
  await several.page.press('Take it out of the match key')
  expect(several.onChange).toHaveBeenCalledWith(['leaflet_id'])
  const only = await part({ keys: ['language'] })
  expect(only.page.actions()).toEqual([])
})

it('nobody changes the key who may not', async () => {
  const { page } = await part({ keys: ['leaflet_id'], disabled: true })
  expect(page.actions()).toEqual([])
})
