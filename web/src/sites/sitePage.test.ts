import { describe, expect, it, vi } from 'vitest'
import SitePage from '@/sites/SitePage.vue'
import { fill, open } from '@/testing/page'
import { refusal, server } from '@/testing/server'
import { guess, kept, quillmoss, recordType, sampled, whole } from '@/testing/site'

const changed = () => server.asked.filter((one) => one.what === 'PUT /api/sites/4').map((one) => one.body)
const said = () => server.asked.filter((one) => one.what === 'PUT /api/sites/4/types/customers').map((one) => one.body)

async function site(role: 'administrator' | 'editor' | 'viewer' = 'administrator', page_: object = whole) {
  server.answers['GET /api/sites/4'] = page_
  server.answers['GET /api/sites/4/snapshot'] ??= []
  const page = await open(SitePage, { id: 4 }, { at: '/sites/4', role })
  await vi.waitUntil(() => page.text().includes('2 record types, 1 link'))
  return page
}

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
    expect(page.actions().filter((name) => /snapshot|Remove|Describe|Correct:|Look/.test(name))).toEqual([])
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

  it('shows what suggestions have learnt, and has it forgotten', async () => {
    const made = { import_id: 1, import_name: 'Spring', by: 'ada', at: '2026-11-26T09:00:00Z' }
    server.answers['GET /api/sites/4/types/customers/learnt'] = [
      { columns: ['Kontakt'], field: 'email', steps: ['Trim'], refused: false, ...made },
      { columns: ['score'], field: 'grower', steps: [], refused: true, ...made },
    ]
    server.answers['DELETE /api/sites/4/types/customers/learnt'] = undefined
    const page = await site('editor')
    const details = page.find('details.learnt') as HTMLDetailsElement
    details.open = true
    details.dispatchEvent(new Event('toggle'))
    await vi.waitUntil(() => page.text().includes('score does not feed grower'))
    expect(page.text()).toContain('Kontakt feeds email, 1 step')
    server.answers['GET /api/sites/4/types/customers/learnt'] = []
    await page.press('Go by none of it any more')
    await vi.waitUntil(() => page.text().includes('Nothing yet'))
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
    await page.press(/^Sign-in/)
    fill('form [id$=name]', 'Quillmoss shop')
    await page.press('Try it, and keep it')
    await vi.waitUntil(() => changed().length)
    expect(changed()[0]).toMatchObject({ name: 'Quillmoss shop', address: quillmoss.address, sign_in: null })
    await vi.waitUntil(() => !page.actions().includes('Try it, and keep it'))
  })

  it('is removed with its imports when their number was typed, and says why it cannot be', async () => {
    server.answers['DELETE /api/sites/4'] = refusal(409, 'Run 7 is under way.')
    const page = await site()
    await page.press('Remove')
    expect(page.text()).toContain('The site itself stays as it is.')
    expect(page.text()).toContain('3 imports go to it')
    const button = [...document.querySelectorAll('button')].find((one) => one.textContent === 'Remove Quillmoss')!
    expect(button.disabled).toBe(true)
    fill('form input', '3')
    await vi.waitUntil(() => !button.disabled)
    await page.press('Remove Quillmoss')
    await vi.waitUntil(() => page.text().includes('Run 7 is under way.'))
    expect(server.asked.find((one) => one.what.startsWith('DELETE'))?.query).toEqual({ imports: '3' })
  })

  it('is spared what was said: requests at a time, and hours', async () => {
    server.answers['PUT /api/sites/4/limits'] = whole
    const page = await site()
    expect(page.text()).toContain('as fast as it takes them')
    await page.press(/^Quiet hours/)
    fill('form [id$=most]', '4')
    await page.press('Add hours')
    await page.press('Add a record type')
    fill('input[aria-label="Room 1"]', '5000')
    await page.press('Keep')
    await vi.waitUntil(() => server.asked.some((one) => one.what === 'PUT /api/sites/4/limits'))
    expect(server.asked.find((one) => one.what === 'PUT /api/sites/4/limits')?.body).toMatchObject({
      concurrency: 4,
      per_minute: null,
      quiet: [{ begins: '22:00', ends: '06:00' }],
      room: { customers: 5000 },
    })
  })

  it('shows its snapshot: what is read, what is kept, and whether it is still so', async () => {
    server.answers['GET /api/sites/4/snapshot'] = [kept]
    server.answers['GET /api/sites/4/samples'] = [sampled]
    server.answers['POST /api/sites/4/snapshot/check'] = [
      { record_type: 'customers', verdict: 'changed', changed: 0, why: 'there are 201 now' },
    ]
    const page = await site('editor')
    await vi.waitUntil(() => page.text().includes('200 records'))
    await page.press(/^Snapshot/)
    await page.press('Is it still so?')
    await vi.waitUntil(() => page.text().includes('changed: there are 201 now'))
    const reading = { ...kept, state: 'reading', records: 50, seconds_left: 30 }
    server.answers['POST /api/sites/4/snapshot'] = [reading]
    server.answers['GET /api/sites/4/snapshot'] = [reading]
    await page.press('Take a snapshot')
    await vi.waitUntil(() => page.text().includes('50 of 200 read, 30 seconds left'))
    expect(page.actions()).toContain('Stop reading')
    expect(server.asked.find((one) => one.what === 'POST /api/sites/4/snapshot')?.body).toEqual({ types: [] })
  })

  it('says what its records say of keys, links and open fields, and takes it', async () => {
    server.answers['GET /api/sites/4/snapshot'] = [kept]
    server.answers['GET /api/sites/4/samples'] = [sampled]
    server.answers['PUT /api/sites/4/types/customers'] = whole
    const more = { path: 'more', title: 'More', kind: 'map', type: 'text', languages: false, why: 'its document' }
    const held = { kind: 'in order', parts: { first: 'email', last: 'grower' }, confidence: 0.85, why: 'their names' }
    const customers = recordType('customers', { links: [guess], open_fields: [more], relations: [held] })
    const page = await site('administrator', { ...whole, types: [customers, whole.types[1]] })
    await vi.waitUntil(() => page.text().includes('2 values stand more than once, such as “a@example.org”'))
    expect(page.text()).toContain('2 of 40 values are not there')
    expect(page.text()).toContain('E-mail is not after Grower')
    await page.press('colour')
    await vi.waitUntil(() => said().length === 1)
    await page.press('Does not hold: E-mail is not after Grower')
    await vi.waitUntil(() => said().length === 2)
    expect(said()).toEqual([
      { links: {}, added: [{ path: 'more.colour', title: '' }] },
      { links: {}, relations: [] },
    ])
  })
})
