import { describe, expect, it, vi } from 'vitest'
import type { Schemas } from '@/api/client'
import LanguagesView from '@/sites/LanguagesView.vue'
import { open } from '@/testing/page'
import { server } from '@/testing/server'
import { kept } from '@/testing/site'

const cell = (state: Schemas['InLanguage']['state'], days: number | null = null) => ({
  state,
  record_id: '1',
  page: state === 'missing' ? null : 'https://quillmoss.example/articles/1',
  days,
})
const seen = (): Schemas['Completeness'] => ({
  record_type: 'articles',
  title: 'Articles',
  as_of: '2026-11-20T10:00:00Z',
  languages: [
    { language: 'en', there: 2, partly: 0, missing: 0, older: 0 },
    { language: 'nb', there: 1, partly: 0, missing: 1, older: 1 },
  ],
  originals: 2,
  lost: 3,
  total: 2,
  rows: [
    { record_id: '1', label: 'Rye', page: null, cells: [cell('original'), cell('older', -2)] },
    { record_id: '2', label: 'Oats', page: null, cells: [cell('original'), cell('missing')] },
  ],
})

async function shown(snapshot = [{ ...kept, record_type: 'articles' }], found = seen()) {
  server.answers['GET /api/sites/4/snapshot'] = snapshot
  server.answers['GET /api/sites/4/languages/articles'] = found
  return open(LanguagesView, { id: 4, type: 'articles' })
}

describe('originals and languages', () => {
  it('tell what is there, missing and older, and how much', async () => {
    const page = await shown()
    await vi.waitUntil(() => page.text().includes('Rye'))
    expect(page.text()).toContain('2 originals, 2 languages')
    expect(page.text()).toContain('3 of 4 there')
    expect(page.text()).toMatch(/Rye\s*the original\s*the original changed since/)
    expect(page.text()).toMatch(/Oats\s*the original\s*missing/)
    expect(page.text()).toMatch(/nb 1, 1 older/)
  })

  it('tell what is there only in part, where anything is', async () => {
    const whole = await shown()
    await vi.waitUntil(() => whole.text().includes('Rye'))
    expect(whole.text()).not.toContain('There in part')
    const found = seen()
    found.languages[1] = { language: 'nb', there: 2, partly: 1, missing: 0, older: 0 }
    found.rows[1]!.cells[1] = cell('partly')
    const page = await shown(undefined, found)
    await vi.waitUntil(() => page.text().includes('some of it is missing'))
    expect(page.text()).toMatch(/There in part\s*1/)
    expect(page.text()).toMatch(/nb 2, 1 in part/)
  })

  it('are asked for those alone where something is to be done', async () => {
    const page = await shown()
    await vi.waitUntil(() => page.text().includes('Rye'))
    document.querySelector<HTMLInputElement>('input[type="checkbox"]')!.click()
    await vi.waitUntil(() => server.asked.some((one) => one.query.only_open === 'true'))
  })

  it('are read first where nobody has', async () => {
    const page = await shown([])
    await vi.waitUntil(() => page.text().includes('have not been read'))
    server.answers['POST /api/sites/4/snapshot'] = []
    await page.press('Read them')
    await vi.waitUntil(() => server.asked.some((one) => one.what.startsWith('POST')))
    expect(server.asked.find((one) => one.what.startsWith('POST'))?.body).toEqual({ types: ['articles'] })
  })
})
