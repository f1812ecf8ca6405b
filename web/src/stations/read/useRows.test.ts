import { expect, it, vi } from 'vitest'
import { ref } from 'vue'
import { PAGE, useRows } from '@/stations/read/useRows'
import { use } from '@/testing/page'
import { refusal, server, type Asked } from '@/testing/server'

const rowsFrom = ({ query }: Asked) => {
  const first = Number(query.first)
  return { first, total: 1000, rows: Array.from({ length: PAGE }, (_, index) => [first + index + 2, '', [], [], '']) }
}

it('asks for the pages that are in sight, each once', async () => {
  server.answers['GET /api/imports/7/rows'] = rowsFrom
  const from = ref(150)
  const to = ref(230)
  const { rows } = await use(() => useRows(ref(7), from, to))
  await vi.waitUntil(() => rows.value.size === 2 * PAGE)
  expect(rows.value.get(0)?.[0]).toBe(2)
  expect(rows.value.get(399)?.[0]).toBe(401)
  from.value = 210
  to.value = 290
  await vi.waitUntil(() => rows.value.size === PAGE)
  from.value = 399
  to.value = 401
  await vi.waitUntil(() => rows.value.size === 2 * PAGE)
  expect(server.asked.map((one) => one.query)).toEqual([
    { first: '0', count: '200', sheet: '' },
    { first: '200', count: '200', sheet: '' },
    { first: '400', count: '200', sheet: '' },
  ])
})

it('asks for one page of a sheet whose length is not known yet', async () => {
  server.answers['GET /api/imports/7/rows'] = rowsFrom
  const { rows } = await use(() => useRows(ref(7), ref(0), ref(-1)))
  await vi.waitUntil(() => rows.value.size === PAGE)
})

it('says why rows cannot be shown', async () => {
  server.answers['GET /api/imports/7/rows'] = refusal(404, 'There is no import 7.')
  const { error } = await use(() => useRows(ref(7), ref(0), ref(10)))
  await vi.waitUntil(() => error.value)
  expect(error.value?.message).toBe('There is no import 7.')
})
