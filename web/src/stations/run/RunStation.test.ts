import { describe, expect, it, vi } from 'vitest'
import RunStation from '@/stations/run/RunStation.vue'
import { overview, usual } from '@/testing/overview'
import { open } from '@/testing/page'
import { refusal, server } from '@/testing/server'

type Said = Parameters<typeof overview>[0]
type Role = 'editor' | 'viewer'

async function station(said: Said, failed: unknown[] = [], role: Role = 'editor') {
  server.answers['GET /api/imports/7/runs/5/failed'] = failed
  server.answers['GET /api/imports/7/runs'] = []
  server.answers['GET /api/imports/7/mapping'] = { fields: [], columns: [] }
  return open(RunStation, { overview: overview(said) }, { at: '/imports/7/run', role })
}

it('says where a run comes from while nothing has run', async () => {
  const page = await station({})
  expect(page.text()).toContain('Nothing has run')
  expect(page.actions()).toEqual(['Go to Rehearse'])
})

describe('what can be done', () => {
  it.each<[string, string, string[]]>([
    ['waiting', 'Waiting for a worker', ['Pause']],
    ['running', 'Running', ['Pause']],
    ['paused', 'Paused', ['Continue', 'End it here', 'Verify 12 records']],
    ['failed', 'Stopped by an error', ['Continue', 'End it here', 'Verify 12 records']],
    ['done', 'Done', ['Verify 12 records']],
    ['ended', 'Ended before all was sent', ['Verify 12 records']],
  ])('while it is %s', async (state, title, actions) => {
    const page = await station({ run: { state, done: 12 } })
    expect(page.find('h2').textContent).toBe(title)
    expect(page.actions()).toEqual(actions)
  })

  it('is nothing for a viewer', async () => {
    for (const state of ['running', 'paused', 'done'])
      expect((await station({ run: { state } }, [], 'viewer')).actions()).toEqual([])
  })

  it.each([
    ['running', 'Pause', 'POST /api/imports/7/runs/5/pause'],
    ['paused', 'Continue', 'POST /api/imports/7/runs/5/continue'],
    ['failed', 'End it here', 'POST /api/imports/7/runs/5/end'],
  ])('while it is %s: %s', async (state, name, asks) => {
    server.answers[asks] = overview({ run: { state } })
    const page = await station({ run: { state } })
    await page.press(name)
    await vi.waitUntil(() => server.asked.some((one) => one.what === asks))
  })

  it('leads on to Verify when that has begun', async () => {
    server.answers['POST /api/imports/7/runs/5/verification'] = overview({ verify: { state: 'reading' } })
    const page = await station({ run: { state: 'done', done: 1858 } })
    await page.press('Verify 1,858 records')
    await vi.waitUntil(() => page.router.currentRoute.value.path === '/imports/7/verify')
  })

  it('stays where the server refuses, and says why', async () => {
    server.answers['POST /api/imports/7/runs/5/end'] = refusal(
      409,
      'Only a paused run can be ended.',
      'Pause it first.',
    )
    const page = await station({ run: { state: 'paused' } })
    await page.press('End it here')
    await vi.waitUntil(() => page.text().includes('Only a paused run can be ended. Pause it first.'))
  })
})

it('counts what went, failed and is to come, so that they add up', async () => {
  const page = await station({ run: { done: 900, failed: 8, in_doubt: 50 } })
  const figures = Object.fromEntries(
    [...page.find('.figures').querySelectorAll('div')].map((one) => [
      one.querySelector('dt')!.textContent,
      one.querySelector('dd')!.textContent!.trim(),
    ]),
  )
  expect(figures).toMatchObject({ done: '900', failed: '8', 'to come': '900', 'in doubt': '50' })
  expect(figures.of).toBe('1,858 records, 48.9%')
  const bar = page.find('[role=progressbar]')
  expect([bar.ariaValueNow ?? bar.getAttribute('aria-valuenow'), bar.getAttribute('aria-valuemax')]).toEqual([
    '908',
    '1858',
  ])
})

it('says how fast it goes, and how long it will take or took', async () => {
  const going = await station({ run: { rate: 631.4, response_ms: 12.2, concurrency: 16, seconds_left: 95 } })
  expect(going.text()).toContain('631 records a second')
  expect(going.text()).toContain('12 ms, 16 at a time')
  expect(going.text()).toContain('time left2 minutes')
  expect(going.text()).toContain('You can close this tab; the run goes on.')
  const begun = await station({ run: {} })
  expect(begun.text()).not.toMatch(/rate|time left|at a time|–/)
  const over = await station({ run: { state: 'done', ended_at: '2026-11-26T09:10:42Z' } })
  expect(over.text()).toContain('took42 seconds')
  expect(over.text()).not.toContain('close this tab')
})

it('says what is known of records that are in doubt', async () => {
  const paused = await station({ run: { state: 'paused', in_doubt: 1 } })
  expect(paused.text()).toContain('1 record was on the way when the run stopped. When it goes on, the site is asked')
  const ended = await station({ run: { state: 'ended', in_doubt: 2 } })
  expect(ended.text()).toContain('2 records were on the way')
  expect(ended.text()).toContain('A new rehearsal reads the site')
  expect(ended.text()).toContain('not sent')
})

it('says whether the site sends mail, by the policy that was rehearsed', async () => {
  const silenced = 'Mail is silenced'
  const may = 'The site may send mail about these records.'
  expect((await station({ rehearse: {}, run: {} })).text()).toContain(silenced)
  expect((await station({ rehearse: { policy: { ...usual, send_mail: true } }, run: {} })).text()).toContain(may)
  expect((await station({ rehearse: {}, run: {}, site_can_be_silenced: false })).text()).toContain(may)
})

it('lists what the site refused, in its own words', async () => {
  const page = await station({ run: { state: 'done', failed: 1 } }, [
    { item: 1284, row: 1284, key: 'ada@quillmoss.example', action: 'create', message: '422: phone: is too short' },
  ])
  await vi.waitUntil(() => page.text().includes('What the site refused'))
  expect(page.find('tbody tr').textContent).toMatch(/1,284.*ada@quillmoss.example.*create.*422: phone: is too short/s)
  expect(page.text()).toContain('rehearse again')
})

it('says what stopped it', async () => {
  const page = await station({ run: { state: 'failed', error: 'The site does not accept the token (401).' } })
  expect(page.find('[role=alert]').textContent).toContain('does not accept the token')
})
