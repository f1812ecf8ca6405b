import { describe, expect, it, vi } from 'vitest'
import KeyStrip from '@/stations/verify/KeyStrip.vue'
import UseProof from '@/stations/verify/UseProof.vue'
import VerifyStation from '@/stations/verify/VerifyStation.vue'
import { overview } from '@/testing/overview'
import { fill, open } from '@/testing/page'
import { refusal, server } from '@/testing/server'

const PATH = '/api/imports/7/runs/5/proof'
const email = {
  field: 'email',
  title: 'E-mail',
  compared: 12,
  differ: 0,
  tolerated: 0,
  sent: 'a@b.example',
  found: 'A',
}
const name = { field: 'username', title: 'Username', compared: 12, differ: 2, tolerated: 0, sent: 'ada', found: null }
const link = { field: 'customer_id', title: 'Customer', to: 'customers', links: 9, records: 7, there: 8 }
const strip = {
  title: 'Number',
  first: '25,000',
  last: '25,199',
  low: 25_000,
  high: 25_199,
  sheet: [{ low: 25_000, high: 25_099, count: 98 }],
  before: [{ low: 25_190, high: 25_199, count: 3 }],
  now: [
    { low: 25_000, high: 25_099, count: 98 },
    { low: 25_190, high: 25_199, count: 3 },
  ],
  said: ['2 between 25,000 and 25,099 never used'],
}
const proof = {
  fields: [email, name],
  keys: null,
  links: [{ ...link, asked: 4, back: 4 }],
  pages: { asked: 20, wrong: [{ address: 'https://quillmoss.example/users/9', status: 404 }] },
  sign_ins: [],
}

describe('the proof of a run', () => {
  async function station(told: object) {
    server.answers[`GET ${PATH}`] = told
    server.answers['GET /api/imports/7/runs/5/mismatches'] = []
    server.answers['GET /api/imports/7/runs/5/mismatches/groups'] = []
    server.answers['GET /api/imports/7/tolerances'] = []
    const props = { overview: overview({ run: { done: 12, total: 12 }, verify: { compared: 12 } }) }
    return open(VerifyStation, props, { at: '/imports/7/verify' })
  }

  it('tells links from both sides and pages that do not answer', async () => {
    const page = await station(proof)
    await vi.waitUntil(() => page.text().includes('Links, looked at from both sides'))
    expect(page.text()).toContain('8 of 9')
    expect(page.text()).toContain('pages of 20 records answer 19')
    expect(page.text()).toContain('https://quillmoss.example/users/9 answers 404')
    const files = [...document.querySelectorAll('a[download]')].map((one) => one.getAttribute('href'))
    expect(files).toEqual(['.pdf', '.html', ''].map((ending) => `/api/imports/7/runs/5/summary${ending}`))
  })

  it('signs somebody in with the password of before, and forgets it', async () => {
    const page = await station(proof)
    await page.press('Sign somebody in …')
    fill('input[type=url]', 'https://quillmoss.example/sign-in')
    fill('form label:nth-of-type(2) input', 'ada')
    fill('input[type=password]', 'moss')
    server.answers[`POST ${PATH}/sign-in`] = refusal(422, 'The page has no form.')
    await page.press('Try it')
    await vi.waitUntil(() => page.text().includes('The page has no form.'))
    const tried = { name: 'ada', ok: false, why: 'the site answers 401', at: '2026-11-29T10:00:00Z', by: 'bo' }
    server.answers[`POST ${PATH}/sign-in`] = { ...proof, sign_ins: [tried] }
    await page.press('Try it')
    await vi.waitUntil(() => page.text().includes('ada signs in: the site answers 401'))
    expect(document.querySelector('input[type=password]')).toBe(null)
  })

  it('is offered to nobody where no people were sent', async () => {
    const page = await open(UseProof, {
      proof: { ...proof, pages: null, links: [{ ...link, there: null, asked: 0, back: 0 }] },
      site: 'https://quillmoss.example',
      people: false,
      busy: false,
      error: null,
    })
    expect(page.text()).toContain('the site’s customers were not read')
    expect(page.text()).not.toContain('Proof by use')
  })
})

it('a strip of keys shows what the sheet covers, and what the site had and has', async () => {
  const page = await open(KeyStrip, { strip })
  expect(page.text()).toContain('25,000 to 25,199')
  expect(page.text()).toContain('2 between 25,000 and 25,099 never used')
  const told = [...document.querySelectorAll('[role=img]')].map((one) => one.getAttribute('aria-label'))
  expect(told).toEqual(['sheet: 98 keys', 'site before: 3 keys', 'site now: 101 keys'])
  const [sheet, before] = [...document.querySelectorAll<HTMLElement>('.track i')]
  expect([sheet?.style.left, sheet?.style.width]).toEqual(['0%', '50%'])
  expect([before?.style.left, before?.style.width]).toEqual(['95%', '5%'])
})
