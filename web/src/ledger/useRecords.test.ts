import type { Window as HappyWindow } from 'happy-dom'
import { afterEach, describe, expect, it, vi } from 'vitest'
import { nextTick, ref } from 'vue'
import { useRecords } from '@/ledger/useRecords'
import { use } from '@/testing/page'

const press = (key: string, more: KeyboardEventInit = {}, target: EventTarget = document.body) =>
  target.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, ...more }))

async function records(at = '/imports/7/map', of = 100, beside = false) {
  const total = ref(of)
  const found = await use(() => useRecords('telling', total, ref(beside)), at)
  const query = () => found.page.router.currentRoute.value.query
  return { ...found, total, query }
}

const resize = (width: number) => (window as unknown as HappyWindow).happyDOM.setViewport({ width })
afterEach(() => resize(1280))

describe('how many are shown', () => {
  it.each([
    [1280, false, 5],
    [1280, true, 3],
    [2400, false, 7],
    [640, false, 3],
  ])('at %d pixels, with something beside: %s', async (width, beside, count) => {
    resize(width)
    expect((await records('/', 100, beside)).count.value).toBe(count)
  })
})

it('begins with what the station shows, and keeps another choice in the address', async () => {
  const { question, choose, query } = await records()
  expect(question.value).toMatchObject({ records: 'telling', offset: 0, seed: 1, search: '' })
  choose('held')
  await vi.waitUntil(() => query().records === 'held')
  expect(question.value.records).toBe('held')
})

it('draws others each time that random ones are chosen', async () => {
  const { question, choose } = await records()
  choose('random')
  choose('random')
  expect(question.value.seed).toBe(3)
})

it('forgets what belonged to another choice, and where one stood in it', async () => {
  const { choose, query } = await records('/imports/7/check?records=finding&group=email/format&offset=10&show=rules')
  choose('first')
  await vi.waitUntil(() => query().records === 'first')
  expect(query()).toEqual({ records: 'first', show: 'rules' })
})

it('is walked with the arrows, and not beyond its ends', async () => {
  const { offset, query } = await records('/imports/7/map?offset=0', 12)
  press('ArrowLeft')
  press('ArrowRight')
  await vi.waitUntil(() => query().offset === '5')
  press('ArrowRight')
  await vi.waitUntil(() => query().offset === '10')
  press('ArrowRight')
  await nextTick()
  expect(offset.value).toBe(10)
  press('ArrowLeft')
  await vi.waitUntil(() => query().offset === '5')
})

it('leaves the arrows to whoever types, and to the browser', async () => {
  const { offset } = await records('/imports/7/map?offset=5')
  const field = document.body.appendChild(document.createElement('input'))
  press('ArrowRight', {}, field)
  press('ArrowRight', { altKey: true })
  press('ArrowRight', { ctrlKey: true })
  press('ArrowRight', { metaKey: true })
  await nextTick()
  expect(offset.value).toBe(5)
})

it('goes back to the beginning where the end has come before the place one stood at', async () => {
  const { total, query } = await records('/imports/7/check?records=held&offset=50')
  total.value = 31
  await vi.waitUntil(() => !query().offset)
  expect(query().records).toBe('held')
})

it('takes an address that somebody wrote by hand', async () => {
  expect((await records('/imports/7/map?offset=often')).offset.value).toBe(0)
})
