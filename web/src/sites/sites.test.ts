import { describe, expect, it, vi } from 'vitest'
import { nextTick } from 'vue'
import SitesView from '@/sites/SitesView.vue'
import { open } from '@/testing/page'
import { refusal, server } from '@/testing/server'

const quillmoss = {
  id: 4,
  name: 'Quillmoss',
  title: 'Quillmoss new site',
  address: 'https://quillmoss.example/openapi.json',
  described_at: '2026-11-26T09:00:00Z',
  record_types: [{ name: 'customers', title: 'Customers', fields: 18 }],
}
const changed = () => server.asked.filter((one) => one.what === 'PUT /api/sites/4').map((one) => one.body)

async function sites(role: 'administrator' | 'editor' = 'administrator') {
  server.answers['GET /api/sites'] = [quillmoss]
  const page = await open(SitesView, {}, { at: '/sites', role })
  await vi.waitUntil(() => page.text().includes('Quillmoss new site'))
  return page
}
function type(selector: string, text: string) {
  const field = document.querySelector<HTMLInputElement>(selector)!
  field.value = text
  field.dispatchEvent(new Event('input'))
}

it('lets those who may not change a site look at it', async () => {
  const page = await sites('editor')
  expect(page.text()).toContain('Customers (18 fields)')
  expect(page.actions().filter((name) => /Edit|Remove|Try|Connect/.test(name))).toEqual([])
})

describe('a site that is known', () => {
  it('is tried again with what is kept', async () => {
    server.answers['PUT /api/sites/4'] = quillmoss
    const page = await sites()
    await page.press('Try it again')
    await vi.waitUntil(() => page.text().includes('It answers, lets Datorum in'))
    expect(changed()).toEqual([{ name: '', address: '', servers: [] }])
  })

  it('says what is wrong with it', async () => {
    server.answers['PUT /api/sites/4'] = refusal(502, 'The site does not accept the sign-in.', 'Type it again.')
    const page = await sites()
    await page.press('Try it again')
    await vi.waitUntil(() => page.text().includes('The site does not accept the sign-in. Type it again.'))
  })

  it('keeps its sign-in where none is typed', async () => {
    server.answers['PUT /api/sites/4'] = quillmoss
    const page = await sites()
    await page.press('Edit')
    type('form [id$=name]', 'Quillmoss shop')
    await page.press('Try it, and keep it')
    await vi.waitUntil(() => changed().length)
    expect(changed()[0]).toMatchObject({ name: 'Quillmoss shop', address: quillmoss.address, sign_in: null })
    await vi.waitUntil(() => !page.actions().includes('Try it, and keep it'))
  })

  it('is removed when that was said twice, and says why it cannot be', async () => {
    server.answers['DELETE /api/sites/4'] = refusal(409, '3 imports go to “Quillmoss”.')
    const page = await sites()
    await page.press('Remove')
    expect(page.text()).toContain('The site itself stays as it is.')
    await page.press('Remove Quillmoss')
    await vi.waitUntil(() => page.text().includes('3 imports go to “Quillmoss”.'))
  })
})

it('asks before a sign-in goes to another server', async () => {
  const elsewhere = { type: 'another-server', title: 'Elsewhere.', current: { server: 'https://other.example' } }
  server.answers['POST /api/sites'] = Response.json(elsewhere, { status: 409 })
  const page = await sites()
  type('form [id$=name]', 'Quillmoss shop')
  type('form [id$=address]', 'https://quillmoss.example/openapi.json')
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
  type('form [id$=name]', 'Quillmoss shop')
  type('form [id$=address]', 'https://quillmoss.example/openapi.json')
  type('form [id$=token]', 'no longer meant')
  const [token, password, keys] = [...document.querySelectorAll<HTMLInputElement>('fieldset [type=checkbox]')]
  for (const box of [token!, password!, keys!]) {
    box.click()
    await nextTick()
  }
  await vi.waitUntil(() => document.querySelector('form [id$=value-0]'))
  type('form [id$=user]', 'ada')
  type('form [id$=password]', 'rye')
  type('form [id$=key-0]', 'X-Key')
  type('form [id$=value-0]', 'moss')
  await page.press('Connect')
  await vi.waitUntil(() => server.asked.some((one) => one.what === 'POST /api/sites'))
  expect(server.asked.find((one) => one.what === 'POST /api/sites')?.body).toMatchObject({
    sign_in: { token: '', user: 'ada', password: 'rye', keys: { 'X-Key': 'moss' }, client_id: '' },
  })
})
