import { expect, it, vi } from 'vitest'
import { nextTick } from 'vue'
import SitesView from '@/sites/SitesView.vue'
import { fill, open } from '@/testing/page'
import { server } from '@/testing/server'
import { quillmoss } from '@/testing/site'

async function sites(role: 'administrator' | 'editor' = 'administrator') {
  server.answers['GET /api/sites'] = [quillmoss]
  const page = await open(SitesView, {}, { at: '/sites', role })
  await vi.waitUntil(() => page.text().includes('Quillmoss new site'))
  return page
}
it('lists sites, each of which leads to its page', async () => {
  const page = await sites('editor')
  expect(page.text()).toContain('Customers (18 fields)')
  expect(document.querySelector('a[href="/sites/4"]')?.textContent).toBe('Quillmoss')
  expect(page.actions()).not.toContain('Connect')
})

it('asks before a sign-in goes to another server', async () => {
  const elsewhere = { type: 'another-server', title: 'Elsewhere.', current: { server: 'https://other.example' } }
  server.answers['POST /api/sites'] = Response.json(elsewhere, { status: 409 })
  const page = await sites()
  fill('form [id$=name]', 'Quillmoss shop')
  fill('form [id$=address]', 'https://quillmoss.example/openapi.json')
  await page.press('Connect')
  await vi.waitUntil(() => page.text().includes('https://other.example, another server than the one you gave'))
  server.answers['POST /api/sites'] = quillmoss
  await page.press('Send it there, and connect')
  await vi.waitUntil(() => server.asked.filter((one) => one.what === 'POST /api/sites').length === 2)
  expect(server.asked.at(-2)?.body ?? server.asked.at(-1)?.body).toMatchObject({ servers: ['https://other.example'] })
})

it('sends all that a site asks for, and nothing that is not chosen', async () => {
  server.answers['POST /api/sites'] = quillmoss
  const page = await sites()
  fill('form [id$=name]', 'Quillmoss shop')
  fill('form [id$=address]', 'https://quillmoss.example/openapi.json')
  fill('form [id$=token]', 'no longer meant')
  const [token, password, keys] = [...document.querySelectorAll<HTMLInputElement>('fieldset [type=checkbox]')]
  for (const box of [token!, password!, keys!]) {
    box.click()
    await nextTick()
  }
  await vi.waitUntil(() => document.querySelector('form [id$=value-0]'))
  fill('form [id$=user]', 'ada')
  fill('form [id$=password]', 'rye')
  fill('form [id$=key-0]', 'X-Key')
  fill('form [id$=value-0]', 'moss')
  await page.press('Connect')
  await vi.waitUntil(() => server.asked.some((one) => one.what === 'POST /api/sites'))
  expect(server.asked.find((one) => one.what === 'POST /api/sites')?.body).toMatchObject({
    sign_in: { token: '', user: 'ada', password: 'rye', keys: { 'X-Key': 'moss' }, client_id: '' },
  })
})
