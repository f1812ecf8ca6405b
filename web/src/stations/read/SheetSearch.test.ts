import { expect, it, vi } from 'vitest'
import SheetSearch from '@/stations/read/SheetSearch.vue'
import { open } from '@/testing/page'
import { server } from '@/testing/server'

const PATH = 'GET /api/imports/7/rows/found'
const places = [
  [4, 6, 1],
  [90, 92, null],
]

it('walks from one row that was found to the next, and round', async () => {
  server.answers[PATH] = places
  const show = vi.fn()
  const page = await open(SheetSearch, { id: 7, text: 'berg', flag: '', sheet: '', onShow: show })
  await vi.waitUntil(() => page.text().includes('1 of 2'))
  expect(server.asked.find((one) => one.what === PATH)?.query).toEqual({ text: 'berg', flag: '', sheet: '' })
  await page.press('The next one')
  expect(page.text()).toContain('2 of 2')
  await page.press('The next one')
  expect(show.mock.calls.map(([place]) => place as number[])).toEqual([places[0], places[1], places[0]])
})

it('finds the lines that had a fault', async () => {
  server.answers[PATH] = places.slice(0, 1)
  const show = vi.fn()
  await open(SheetSearch, { id: 7, text: '', flag: 'short', sheet: '', onShow: show })
  await vi.waitUntil(() => show.mock.calls.length === 1)
  expect(server.asked.find((one) => one.what === PATH)?.query).toEqual({ text: '', flag: 'short', sheet: '' })
})

it('says that nothing is found, and asks for nothing where nothing is looked for', async () => {
  server.answers[PATH] = []
  const page = await open(SheetSearch, { id: 7, text: 'zzz', flag: '', sheet: '' })
  await vi.waitUntil(() => page.text().includes('nothing found'))
  server.asked = []
  await open(SheetSearch, { id: 7, text: ' ', flag: '', sheet: '' })
  expect(server.asked).toEqual([])
})
