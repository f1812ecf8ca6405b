import { describe, expect, it, vi } from 'vitest'
import { reactive } from 'vue'
import RefusalRule from '@/stations/run/RefusalRule.vue'
import RunStation from '@/stations/run/RunStation.vue'
import { overview, usual } from '@/testing/overview'
import { open } from '@/testing/page'
import { refusal, server } from '@/testing/server'

type Said = Parameters<typeof overview>[0]
type Role = 'editor' | 'viewer'

const nothing = { parts: [], pace: [], happened: [], latest: [], refusals: [] }

async function station(said: Said, progress: object = {}, role: Role = 'editor') {
  server.answers['GET /api/imports/7/runs/5/progress'] = { ...nothing, ...progress }
  server.answers['GET /api/imports/7/runs'] = []
  server.answers['GET /api/imports/7/runs/5/follow-ups'] = []
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
    ['done', 'Done', ['Follow up …', 'Take a list away …', 'Undo this run …', 'Verify 12 records']],
    [
      'ended',
      'Ended before all was sent',
      ['Follow up …', 'Take a list away …', 'Undo this run …', 'Verify 12 records'],
    ],
  ])('while it is %s', async (state, title, actions) => {
    const page = await station({ run: { state, done: 12 } })
    expect(page.find('h2').textContent).toBe(title)
    expect(page.actions()).toEqual(actions)
  })

  it('is nothing for a viewer', async () => {
    for (const state of ['running', 'paused', 'done'])
      expect((await station({ run: { state, done: 5 } }, {}, 'viewer')).actions()).toEqual([])
  })

  it('after a pilot is to go on with the rest', async () => {
    server.answers['POST /api/imports/7/runs'] = overview({ run: {} })
    server.answers['GET /api/imports/7/rehearsal/preflight'] = []
    const pilot = { kind: 'pilot', state: 'done', total: 22, done: 22, left: 6141 }
    const page = await station({ rehearse: {}, run: pilot })
    expect(page.find('h2').textContent).toBe('Pilot: done')
    expect(page.actions().slice(-3)).toEqual(['Undo this run …', 'Verify 22 records', 'Go on with the other 6,141'])
    await page.press('Go on with the other 6,141')
    await vi.waitUntil(() => server.asked.some((one) => one.what === 'POST /api/imports/7/runs'))
    expect(server.asked.at(-1)?.body).toMatchObject({ kind: 'main', deletes: null })
  })

  it('of an undo is not to take it back again', async () => {
    const page = await station({ run: { kind: 'undo', state: 'done', done: 3 } })
    expect(page.find('h2').textContent).toBe('Taking it back: done')
    expect(page.actions()).toEqual(['Verify 3 records'])
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
  expect(figures).toMatchObject({ done: '900', refused: '8', 'to come': '900', 'in doubt': '50' })
  expect(figures.of).toBe('1,858 records')
  const bar = page.find('[role=progressbar]')
  expect([bar.ariaValueNow ?? bar.getAttribute('aria-valuenow'), bar.getAttribute('aria-valuemax')]).toEqual([
    '908',
    '1858',
  ])
})

it('says how fast it goes, and how long it will take or took', async () => {
  const at = (second: number) => `2026-11-26T09:10:0${second}Z`
  const pace = [1, 2, 3].map((second) => ({ at: at(second), rate: 600 + second, response_ms: 12 }))
  const said = { rate: 631.4, concurrency: 16, workers: 2, seconds_left: 95 }
  const going = await station({ run: said }, { pace })
  expect(going.text()).toContain('631 a second')
  await vi.waitUntil(() => going.text().includes('2 workers, up to 16 at a time'))
  expect(going.find('svg[role=img]').getAttribute('aria-label')).toBe('603 records a second, answers in 12 ms')
  expect(going.text()).toContain('time left2 minutes')
  expect(going.text()).toContain('You can close this tab; the run goes on.')
  const over = await station({ run: { state: 'done', ended_at: '2026-11-26T09:10:42Z' } })
  expect(over.text()).toContain('took42 seconds')
  expect(over.text()).not.toContain('close this tab')
})

it('shows how far each part is, what happened, and the last records', async () => {
  const page = await station(
    { run: {} },
    {
      parts: [
        { record_type: 'terms', action: 'create', total: 4, done: 4, failed: 0 },
        { record_type: '', action: 'update', total: 122, done: 100, failed: 2 },
      ],
      happened: [{ at: '2026-11-26T09:10:01Z', mark: 'warned', text: 'The site asked to wait 30 seconds (429).' }],
      latest: [{ item: 4, key: '30611', action: 'create', state: 'done', took_ms: 38, page: 'https://q.example/4' }],
    },
  )
  await vi.waitUntil(() => page.text().includes('What happened'))
  expect(page.text()).toContain('terms, create: 44 done, each once')
  expect(page.text()).toContain('customers, update: 122100 done, 2 refused')
  expect(page.text()).toContain('The site asked to wait 30 seconds (429).')
  expect(page.text()).toContain('3061138 msopen ↗')
})

it('says what is known of records that are in doubt', async () => {
  const paused = await station({ run: { state: 'paused', in_doubt: 1, workers: 0 } })
  expect(paused.text()).toContain('1 record was on the way when the run stopped. When it goes on, the site is asked')
  const ended = await station({ run: { state: 'ended', in_doubt: 2 } })
  expect(ended.text()).toContain('2 records were on the way')
  expect(ended.text()).toContain('A new rehearsal reads the site')
  expect(ended.text()).toContain('not sent')
  const finishing = 'What was on its way when it was paused is still being finished.'
  expect(paused.text()).not.toContain(finishing)
  expect((await station({ run: { state: 'paused', workers: 1 } })).text()).toContain(finishing)
})

it('says whether the site sends mail, by the policy that was rehearsed', async () => {
  const silenced = 'Mail is silenced'
  const may = 'The site may send mail about these records.'
  expect((await station({ rehearse: {}, run: {} })).text()).toContain(silenced)
  expect((await station({ rehearse: { policy: { ...usual, send_mail: true } }, run: {} })).text()).toContain(may)
  expect((await station({ rehearse: {}, run: {}, site_can_be_silenced: false })).text()).toContain(may)
  const undo = { rehearse: { policy: { ...usual, send_mail: true } }, run: { kind: 'undo' as const } }
  expect((await station(undo)).text()).toContain(silenced)
  expect((await station({ ...undo, site_can_be_silenced: false })).text()).toContain(may)
})

it('groups what the site refused by what it said, and opens each', async () => {
  const rule = {
    field: 'phone',
    title: 'Phone',
    formula: '=LEN([phone])>=8',
    sentence: 'is shorter than 8',
    taken: 4,
    to_come: 31,
  }
  server.answers['GET /api/imports/7/runs/5/refused/1284/rule'] = rule
  server.answers['POST /api/imports/7/runs/5/refused/1284/rule'] = overview({ run: {} })
  const refused = {
    item: 1284,
    status: 422,
    field: 'phone',
    title: 'Phone',
    records: 2,
    examples: ['ada@quillmoss.example'],
  }
  server.answers['GET /api/imports/7/runs/5/failed'] = [
    {
      item: 1284,
      row: 1284,
      record_type: '',
      key: 'ada@quillmoss.example',
      action: 'create',
      message: '422: 12 is short',
    },
  ]
  const page = await station(
    { run: { state: 'paused', failed: 3 } },
    { refusals: [{ ...refused, said: '7 is short' }] },
  )
  await vi.waitUntil(() => page.text().includes('2 records, 1 reason'))
  expect(page.text()).toContain('Field Phone.')
  expect(page.text()).toContain('rehearse again')
  await vi.waitUntil(() => page.text().includes('31 records to come would be refused too.'))
  expect(page.text()).toContain('What it refused is shorter than 8, unlike what it took.')
  await page.press('Make it a check of this site, and hold the 31')
  await vi.waitUntil(() => page.text().includes('It is a check of this site now.'))
  await page.press('See the 2')
  await vi.waitUntil(() => document.body.textContent!.includes('Row 1,284'))
  expect(server.asked.find((one) => one.what.endsWith('/failed'))?.query).toEqual({ like: '1284' })
})

it('tells anew how many to come a refusal stands for when the run has come to rest', async () => {
  const rule = { field: 'phone', title: 'Phone', formula: '=x', sentence: 'is short', taken: 2, to_come: 42 }
  server.answers['GET /api/imports/7/runs/5/refused/3/rule'] = rule
  const props = reactive({ id: 7, run: 5, item: 3, left: 60, atRest: false, mayEdit: true })
  const page = await open(RefusalRule, props)
  await vi.waitUntil(() => page.actions().includes('Make it a check of this site, and hold the 42'))
  server.answers['GET /api/imports/7/runs/5/refused/3/rule'] = { ...rule, to_come: 58 }
  props.atRest = true
  await vi.waitUntil(() => page.actions().includes('Make it a check of this site, and hold the 58'))
})

it('says nothing of what the site took where it took nothing', async () => {
  const rule = { field: 'phone', title: 'Phone', formula: '=x', sentence: 'is shorter than 8', taken: 0, to_come: 0 }
  server.answers['GET /api/imports/7/runs/5/refused/3/rule'] = rule
  const refused = { item: 3, said: 'is short', status: 422, field: 'phone', title: 'Phone', records: 1, examples: [] }
  const page = await station({ run: { state: 'done', failed: 1 } }, { refusals: [refused] })
  await vi.waitUntil(() => page.text().includes('What it refused is shorter than 8.'))
  expect(page.text()).not.toContain('what it took')
})

it('is taken back as it is rehearsed to be', async () => {
  const undo = { plan_id: 8, run_id: null, runs: 1, error: '', why: {}, total: 11, done: 0, failed: 0 }
  const left = [{ item: 3, key: 'ida@quillmoss.example', reason: 'somebody has changed it since: Phone', page: null }]
  server.answers['GET /api/imports/7/runs/5/undo'] = { ...undo, plan_id: null, state: 'none', counts: {}, left: [] }
  server.answers['POST /api/imports/7/runs/5/undo'] = {
    ...undo,
    state: 'ready',
    counts: { delete: 9, update: 2, held: 1 },
    left,
  }
  server.answers['POST /api/imports/7/runs/5/undo/run'] = { ...undo, run_id: 6, state: 'waiting', counts: {}, left: [] }
  const page = await station({ run: { state: 'done', done: 12 } })
  await page.press('Undo this run …')
  const shown = () => document.body.textContent!
  await vi.waitUntil(() => shown().includes('The site is read first'))
  await page.press('Show what would be undone')
  await vi.waitUntil(() => shown().includes('9 records deleted, because the import created them'))
  expect(shown()).toContain('somebody has changed it since: Phone')
  await page.press('Undo 11 records')
  await vi.waitUntil(() => server.asked.some((one) => one.what === 'POST /api/imports/7/runs/5/undo/run'))
})

it('says what stopped it', async () => {
  const page = await station({ run: { state: 'failed', error: 'The site does not accept the token (401).' } })
  expect(page.find('[role=alert]').textContent).toContain('does not accept the token')
})
