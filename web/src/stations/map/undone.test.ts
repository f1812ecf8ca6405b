import { afterEach, expect, it, vi } from 'vitest'
import { keepTrail, keptTrail } from '@/stations/map/undone'
import type { Mapping } from '@/stations/map/useMapping'

const large = (name: string): Mapping => ({ left_out: [name, 'x'.repeat(600_000)] })

afterEach(() => {
  vi.restoreAllMocks()
  sessionStorage.clear()
})

it('keeps the latest changes, as many as there is room for', () => {
  keepTrail(7, { version: 3, past: ['a', 'b', 'c'].map(large), future: [] })
  expect(keptTrail(7, 3).past.map((one) => one.left_out[0])).toEqual(['b', 'c'])
  expect(keptTrail(8, 3)).toEqual({ past: [], future: [] })
})

it('forgets what came before where the browser has no room at all', () => {
  keepTrail(7, { version: 3, past: [{ left_out: [] }], future: [] })
  vi.spyOn(sessionStorage, 'setItem').mockImplementation(() => {
    throw new DOMException('full', 'QuotaExceededError')
  })
  keepTrail(7, { version: 4, past: [{ left_out: [] }], future: [] })
  expect(keptTrail(7, 3)).toEqual({ past: [], future: [] })
})
