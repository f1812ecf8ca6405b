import { expect, it, vi } from 'vitest'
import MapStation from '@/stations/map/MapStation.vue'
import { overview } from '@/testing/overview'
import { fill, open } from '@/testing/page'
import { server } from '@/testing/server'

const mapping = { fields: {}, left_out: [], links: {}, addresses: {}, tables: [], match_key: 'email' }
const view = { version: 1, by: 'bo', mapping, fields: [], key_candidates: [], key_parts: [], columns: [] }

it('takes no change of a mapping that has not come yet, and keeps the first one after it', async () => {
  let come: (mapping: object) => void = () => {}
  server.answers = {
    'POST /api/imports/7/ledger': { lines: [], records: [], total: 0, offset: 0 },
    'GET /api/imports/7/shape': { shapes: [], offers: [], records: 2412 },
    'GET /api/kept/mappings': [],
    'GET /api/imports/7/mapping': () => new Promise((resolve) => (come = resolve)),
    'PUT /api/imports/7/mapping': { version: 2 },
  }
  const page = await open(MapStation, { overview: overview({}) }, { at: '/imports/7/map' })
  await vi.waitUntil(() => page.actions().some((name) => name.startsWith('Check 2,412')))
  expect(page.actions()).not.toContain('Mapping')

  come(view)
  await page.press('Mapping')
  await page.press('Parameters')
  await vi.waitUntil(() => document.querySelector('[aria-label="Name of a new parameter"]'))
  fill('[aria-label="Name of a new parameter"]', 'season')
  fill('[aria-label="Value of the new parameter"]', 'Spring')
  await page.press('Add')
  const kept = await vi.waitUntil(() => server.asked.find((one) => one.what === 'PUT /api/imports/7/mapping'))
  expect(kept.body).toMatchObject({ base_version: 1, mapping: { parameters: { season: 'Spring' } } })
})
