import { expect, it, vi } from 'vitest'
import { open } from '@/testing/page'
import { refusal, server } from '@/testing/server'
import SiteNews from '@/workbench/SiteNews.vue'

const news = ['name', 'notes', 'age', 'tongue', 'tier'].map((field) => ({
  field,
  title: field.toUpperCase(),
  what: 'is new',
  fed: field === 'tier',
}))

async function shown(role: 'editor' | 'viewer' = 'editor') {
  server.answers['GET /api/imports/7/description'] = news
  const page = await open(SiteNews, { overview: { id: 7 } }, { role })
  await vi.waitUntil(() => page.text().includes('is new'))
  return page
}

it('tells first what is fed, and the rest when it is asked for', async () => {
  const page = await shown('viewer')
  expect(document.querySelector('b')?.textContent).toBe('TIER')
  expect(page.text()).toMatch(/TIER is new; NAME is new;.*and 1 more/)
  await page.press('and 1 more')
  expect(page.text()).toContain('TONGUE is new')
  expect(page.actions()).toEqual([])
})

it('goes on with it when somebody says so, and says why it cannot', async () => {
  server.answers['POST /api/imports/7/description'] = refusal(409, 'Run 3 is under way.')
  const page = await shown()
  await page.press('Go on with it')
  await vi.waitUntil(() => page.text().includes('Run 3 is under way.'))
  server.answers['POST /api/imports/7/description'] = {}
  await page.press('Go on with it')
  const again = () => server.asked.filter((one) => one.what === 'GET /api/imports/7/description').length
  await vi.waitUntil(() => again() > 1)
})
