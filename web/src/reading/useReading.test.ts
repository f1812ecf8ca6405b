import { afterEach, beforeEach, expect, it, vi } from 'vitest'
import { effectScope } from 'vue'
import { useReading } from '@/reading/useReading'
import { server } from '@/testing/server'

let asked: [string, string][]

beforeEach(() => {
  asked = []
  vi.useFakeTimers()
  server.answer = (request) => {
    asked.push([request.method, new URL(request.url).pathname])
    const state = { rows_done: 128_518, share: 0.5, started_at: '2026-11-23T10:00:00Z' }
    return Promise.resolve(request.method === 'GET' ? Response.json(state) : new Response(null, { status: 204 }))
  }
})
afterEach(() => {
  vi.useRealTimers()
})

const reading = () => effectScope(true).run(useReading)!

it('tells nothing of what takes no time', async () => {
  const { during, shown, underWay } = reading()
  const work = during(() => Promise.resolve('done'))
  expect([underWay.value, shown.value]).toEqual([true, false])
  expect(await work).toBe('done')
  expect([underWay.value, shown.value, asked.length]).toEqual([false, false, 0])
})

it('tells how far a longer one is, under a name of its own, until it is over', async () => {
  const { during, shown, state } = reading()
  let end: (told: string) => void = () => {}
  let name = ''
  const work = during((own) => {
    name = own
    return new Promise<string>((resolve) => (end = resolve))
  })
  await vi.advanceTimersByTimeAsync(600)
  expect(asked).toEqual([['GET', `/api/readings/${name}`]])
  expect([shown.value, state.value?.rows_done]).toEqual([true, 128_518])
  end('done')
  await work
  expect([shown.value, state.value]).toEqual([false, null])
  await vi.advanceTimersByTimeAsync(2000)
  expect(asked).toHaveLength(1)
})

it('asks the server to stop what it is reading', async () => {
  const { during, stop } = reading()
  let name = ''
  void during((own) => {
    name = own
    return new Promise(() => {})
  })
  stop()
  await vi.advanceTimersByTimeAsync(0)
  expect(asked).toEqual([['DELETE', `/api/readings/${name}`]])
})

it('is over when the work fails, and says why to who asked', async () => {
  const { during, underWay } = reading()
  await expect(during(() => Promise.reject(new Error('damaged')))).rejects.toThrow('damaged')
  expect(underWay.value).toBe(false)
})
