import { describe, expect, it, vi } from 'vitest'
import { nextTick } from 'vue'
import SitePage from '@/sites/SitePage.vue'
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

const type = (name: string, more: object = {}) => ({
  name,
  title: name[0]!.toUpperCase() + name.slice(1),
  id_field: 'id',
  fields: [
    {
      path: 'email',
      title: 'E-mail',
      type: 'text',
      description: '',
      required: true,
      read_only: false,
      key: true,
      values: [],
    },
    {
      path: 'grower',
      title: 'Grower',
      type: 'text',
      description: '',
      required: false,
      read_only: false,
      key: false,
      values: [],
    },
  ],
  links: [] as object[],
  under: null,
  ways: [{ what: 'list', how: `GET /${name}` }],
  out_of_reach: '',
  corrected: {} as object,
  correctable: { title: name, id_field: 'id', size_most: null },
  ...more,
})
const guess = { field: 'grower', to: 'growers', by: 'id', many: false, confidence: 0.7, why: 'its name' }
const whole = {
  site: quillmoss,
  asks_for: ['a token'],
  types: [type('customers', { links: [guess] }), type('growers', { out_of_reach: 'they are taken as XML only' })],
  not_understood: [{ where: '/beds', why: 'it is out of order' }],
  versions: [
    {
      version: 2,
      by: 'bo',
      at: '2026-11-26T09:00:00Z',
      differences: [{ record_type: 'customers', field: 'name', what: 'is new' }],
    },
    { version: 1, by: 'ada', at: '2026-11-25T09:00:00Z', differences: [] },
  ],
  imports: 3,
  behind: ['Spring'],
  corrections: 1,
}
const said = () => server.asked.filter((one) => one.what === 'PUT /api/sites/4/types/customers').map((one) => one.body)

async function site(role: 'administrator' | 'editor' | 'viewer' = 'administrator') {
  server.answers['GET /api/sites/4'] = whole
  const page = await open(SitePage, { id: 4 }, { at: '/sites/4', role })
  await vi.waitUntil(() => page.text().includes('2 record types, 1 link'))
  return page
}
async function sites(role: 'administrator' | 'editor' = 'administrator') {
  server.answers['GET /api/sites'] = [quillmoss]
  const page = await open(SitesView, {}, { at: '/sites', role })
  await vi.waitUntil(() => page.text().includes('Quillmoss new site'))
  return page
}
function fill(selector: string, text: string) {
  const field = document.querySelector<HTMLInputElement>(selector)!
  field.value = text
  field.dispatchEvent(new Event('input'))
}

it('lists sites, each of which leads to its page', async () => {
  const page = await sites('editor')
  expect(page.text()).toContain('Customers (18 fields)')
  expect(document.querySelector('a[href="/sites/4"]')?.textContent).toBe('Quillmoss')
  expect(page.actions()).not.toContain('Connect')
})

describe('the page of a site', () => {
  it('tells what it keeps, what is guessed, what has changed and what was not understood', async () => {
    const page = await site('viewer')
    for (const told of [
      'Broken lines, 1 of 1, are guessed by names',
      'customers: name is new',
      '1 part of the document not understood',
      'On an earlier description: Spring',
      '1 record type corrected',
      '→ Growers, by id',
    ])
      expect(page.text()).toContain(told)
    expect(page.actions().filter((name) => /Edit|Remove|Describe|Correct:|Look/.test(name))).toEqual([])
    await page.press(/^Growers/)
    expect(page.text()).toContain('Nothing can be imported into these: they are taken as XML only.')
  })

  it('is asked anew with what is kept, and says what is wrong with it', async () => {
    server.answers['PUT /api/sites/4'] = quillmoss
    const page = await site()
    await page.press('Describe anew')
    await vi.waitUntil(() => page.text().includes('It answers, lets Datorum in'))
    expect(changed()).toEqual([{ name: '', address: '', servers: [] }])
    server.answers['PUT /api/sites/4'] = refusal(502, 'The site does not accept the sign-in.', 'Type it again.')
    await page.press('Describe anew')
    await vi.waitUntil(() => page.text().includes('The site does not accept the sign-in. Type it again.'))
  })

  it('says which of its lists answer', async () => {
    const good = { record_type: 'customers', records: 200, at_least: 50, milliseconds: 38, error: '' }
    server.answers['POST /api/sites/4/health'] = [good]
    const page = await site('editor')
    await page.press('Look whether it works')
    await vi.waitUntil(() => page.text().includes('All lists answer, the slowest in 38 ms.'))
    expect(page.text()).toContain('200, by E-mail')
    const bad = { record_type: 'growers', records: null, at_least: 0, milliseconds: 9, error: 'It answers 503.' }
    server.answers['POST /api/sites/4/health'] = [good, bad]
    await page.press('Look whether it works')
    await vi.waitUntil(() => page.text().includes('growers: It answers 503.'))
    expect(page.text()).not.toContain('All lists answer')
  })

  it('is corrected where it is wrong: a part, a link, a key', async () => {
    server.answers['PUT /api/sites/4/types/customers'] = whole
    const page = await site()
    await page.press('Correct: As many at most')
    fill('input[aria-label="As many at most"]', '50')
    await page.press('Keep')
    await vi.waitUntil(() => said().length === 1)
    await page.press('Correct what Grower points at')
    const choice = document.querySelector<HTMLSelectElement>('select')!
    choice.value = ''
    choice.dispatchEvent(new Event('change'))
    await page.press('Keep')
    await vi.waitUntil(() => said().length === 2)
    document.querySelector<HTMLInputElement>('[aria-label="Grower tells two records apart"]')!.click()
    await vi.waitUntil(() => said().length === 3)
    expect(said()).toEqual([
      { links: {}, size_most: 50 },
      { links: { grower: { to: null } } },
      { links: {}, unique: ['email', 'grower'] },
    ])
  })

  it('takes corrections from a file, and says what is no such file', async () => {
    const page = await site()
    const input = document.querySelector<HTMLInputElement>('input[type=file]')!
    const give = (text: string) => {
      Object.defineProperty(input, 'files', { value: [new File([text], 'c.json')], configurable: true })
      input.dispatchEvent(new Event('change'))
    }
    give('no json')
    await vi.waitUntil(() => page.text().includes('c.json is no JSON.'))
    server.answers['PUT /api/sites/4/overlay'] = whole
    give('{"overlay": "1.0.0", "actions": []}')
    await vi.waitUntil(() => server.asked.some((one) => one.what === 'PUT /api/sites/4/overlay'))
  })

  it('keeps its sign-in where none is typed', async () => {
    server.answers['PUT /api/sites/4'] = quillmoss
    const page = await site()
    await page.press('Edit')
    fill('form [id$=name]', 'Quillmoss shop')
    await page.press('Try it, and keep it')
    await vi.waitUntil(() => changed().length)
    expect(changed()[0]).toMatchObject({ name: 'Quillmoss shop', address: quillmoss.address, sign_in: null })
    await vi.waitUntil(() => !page.actions().includes('Try it, and keep it'))
  })

  it('is removed when that was said twice, and says why it cannot be', async () => {
    server.answers['DELETE /api/sites/4'] = refusal(409, '3 imports go to “Quillmoss”.')
    const page = await site()
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
