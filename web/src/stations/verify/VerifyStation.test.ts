import { expect, it, vi } from 'vitest'
import VerifyStation from '@/stations/verify/VerifyStation.vue'
import { overview } from '@/testing/overview'
import { open } from '@/testing/page'
import { refusal, server } from '@/testing/server'

type Said = Parameters<typeof overview>[0]

const ACCOUNT = {
  runs: 2,
  sent: 1858,
  taken: 1858,
  refused: 0,
  in_question: 0,
  undone: 0,
  to_come: 0,
  before: 569,
  created: 1812,
  deleted: 0,
  now: 2381,
  unexplained: 0,
}
let groups: object[] = []
let accepted: object[] = []

async function station(said: Said, mismatches: unknown[] = [], role: 'editor' | 'viewer' = 'editor') {
  server.answers['GET /api/imports/7/runs/5/mismatches'] = mismatches
  server.answers['GET /api/imports/7/runs/5/mismatches/groups'] = groups
  server.answers['GET /api/imports/7/tolerances'] = accepted
  server.answers['GET /api/imports/7/account'] ??= ACCOUNT
  server.answers['POST /api/imports/7/ledger'] = { lines: [], records: [], total: 0, offset: 0 }
  return open(VerifyStation, { overview: overview(said) }, { at: '/imports/7/verify', role })
}

it('says what comes first while nothing has run', async () => {
  const page = await station({})
  expect(page.text()).toContain('There is nothing to verify')
  expect(page.actions()).toEqual(['Go to Rehearse'])
})

it('reads the site back when it is asked to, and says why it cannot', async () => {
  const page = await station({ run: { state: 'done' } })
  server.answers['POST /api/imports/7/runs/5/verification'] = refusal(409, 'The run is not over.', 'Wait for it.')
  await page.press('Verify')
  await vi.waitUntil(() => page.text().includes('The run is not over. Wait for it.'))
  expect((await station({ run: { state: 'done' } }, [], 'viewer')).actions()).toEqual([])
})

it('tells how far the reading is', async () => {
  const page = await station({ run: {}, verify: { state: 'reading', records_read: 600 } })
  expect(page.text()).toContain('600 records read of 2,381. You can close this tab; it goes on.')
})

it('proves that all is on the site as it was sent', async () => {
  const page = await station({ rehearse: {}, run: { state: 'done', done: 1858 }, verify: {} })
  expect(page.find('h2').textContent).toContain('1,858 records on the site as sent')
  expect(page.text()).toContain('30,000 fields compared, 100% the same.')
  await vi.waitUntil(() => page.text().includes('records on the site now'))
  const counts = Object.fromEntries(
    [...page.find('.counts').querySelectorAll('tr')].map((row) => [
      row.querySelector('th')!.textContent,
      row.querySelector('td')!.textContent,
    ]),
  )
  expect(counts).toEqual({
    'rows in the sheet': '2,412',
    'held, left out or unchanged': '554',
    'sent, in 2 runs': '1,858',
    'taken by the site': '1,858',
    refused: '0',
    'records on the site before': '569',
    created: '1,812',
    'records on the site now': '2,381',
  })
  expect(page.text()).not.toContain('add up to')
})

it('says where the site has more than the outcomes add up to, and what may be the reason', async () => {
  server.answers['GET /api/imports/7/account'] = { ...ACCOUNT, created: 1804, in_question: 8, unexplained: 8 }
  const page = await station({ rehearse: {}, run: { state: 'done', done: 1850, failed: 8 }, verify: {} })
  await vi.waitUntil(() => page.text().includes('The site has 8 records more than these outcomes add up to'))
  expect(page.text()).toContain('8 records may have arrived without an answer')
})

it('tells how many records did not go, where any', async () => {
  const counts = { create: 1858, held: 3 }
  const page = await station({ rehearse: { counts }, run: { state: 'done', done: 1858 }, verify: {} })
  expect(page.text()).toContain('3 records, held by the rehearsal, did not go: see why.')
  expect(page.find('a[href="/imports/7/rehearse?action=held"]').textContent).toBe('see why')
  const all = await station({ rehearse: { counts: { create: 1858 } }, run: { state: 'done', done: 1858 }, verify: {} })
  expect(all.text()).not.toContain('did not go')
})

it('lists what differs, and links to where it stands on the site', async () => {
  const page = await station({ run: {}, verify: { mismatches: 3 } }, [
    {
      row: 1284,
      key: 'ada@quillmoss.example',
      field: 'address.city',
      sent: 'Oslo',
      found: 'OSLO',
      page: 'https://quillmoss.example/7',
    },
    { row: 1285, key: 'bo@quillmoss.example', field: '', sent: null, found: null, page: null },
  ])
  await vi.waitUntil(() => page.text().includes('What differs'))
  expect(page.find('h2').textContent).toContain('3 fields differ')
  expect(page.text()).toContain('first 2')
  expect(page.text()).toMatch(/Row 1,284\s*address.city: sent Oslo, found OSLO/)
  expect(page.text()).toContain('bo@quillmoss.example is not on the site')
  const link = page.find('.mismatches a')
  expect([link.getAttribute('href'), link.getAttribute('rel')]).toEqual(['https://quillmoss.example/7', 'noopener'])
})

it('groups what differs by what the site does, which can be accepted and counted again', async () => {
  const says = 'changes the case of letters'
  groups = [
    { field: 'city', title: 'City', rule: 'case', says, records: 46, sent: 'Oslo', found: 'OSLO' },
    { field: '', title: '', rule: '', says: '', records: 2, sent: 'x', found: null },
  ]
  accepted = [{ id: 4, field: 'price', title: 'Price', says: 'rounds numbers', by: 'bo', at: '2026-11-26T09:00:00Z' }]
  server.answers['POST /api/imports/7/runs/5/mismatches/accepted'] = overview({ run: {}, verify: { tolerated: 46 } })
  server.answers['DELETE /api/imports/7/tolerances/4'] = null
  const page = await station({ run: {}, verify: { mismatches: 48, tolerated: 3 } })
  await vi.waitUntil(() => page.text().includes('City, in 46 records: the site changes the case of letters.'))
  expect(page.text()).toContain('3 fields otherwise in what is accepted')
  expect(page.text()).toContain('2 records not on the site as planned.')
  await page.press('Accept that the site changes the case of letters here')
  await vi.waitUntil(() => server.asked.find((one) => one.what.endsWith('mismatches/accepted')))
  expect(server.asked.find((one) => one.what.endsWith('accepted'))?.body).toEqual({ field: 'city', rule: 'case' })
  await page.press(/^Count it again/)
  await vi.waitUntil(() => server.asked.some((one) => one.what === 'DELETE /api/imports/7/tolerances/4'))
  groups = accepted = []
})

it('says what went wrong, and can be done again but by a viewer', async () => {
  const said = { run: {}, verify: { state: 'failed', error: 'The site does not answer.' } }
  const page = await station(said)
  expect(page.find('[role=alert]').textContent).toContain('The site does not answer.')
  expect(page.actions()).toContain('Verify again')
  expect((await station(said, [], 'viewer')).actions()).not.toContain('Verify again')
})
