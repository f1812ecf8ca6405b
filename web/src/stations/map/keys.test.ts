import { expect, it } from 'vitest'
import { asKey, keysOf, mayBeLonger } from '@/stations/map/keys'
import type { Mapping } from '@/stations/map/useMapping'

it('is made of one field or of several, and of none where no first is left', () => {
  const mapping = { left_out: [], match_key: 'slug', key_with: ['language'] } as unknown as Mapping
  expect(keysOf(mapping)).toEqual(['slug', 'language'])
  expect(asKey(['language'])).toEqual({ match_key: 'language', key_with: [] })
  expect(asKey([])).toEqual({ match_key: null, key_with: [] })
  expect(keysOf({ left_out: [], match_key: null, key_with: ['x'] } as unknown as Mapping)).toEqual([])
})

it('is not made longer where the site keeps one of its fields unique', () => {
  const fields = [{ path: 'email', unique: true }, { path: 'leaflet_id' }, { path: 'language', unique: false }]
  expect(mayBeLonger(['email'], fields)).toBe(false)
  expect(mayBeLonger(['leaflet_id', 'email'], fields)).toBe(false)
  expect(mayBeLonger(['leaflet_id'], fields)).toBe(true)
  expect(mayBeLonger(['leaflet_id', 'language'], fields)).toBe(true)
})
