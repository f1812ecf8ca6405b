import { describe, expect, it, vi } from 'vitest'
import ChangedFields from '@/stations/rehearse/ChangedFields.vue'
import PreflightList from '@/stations/rehearse/PreflightList.vue'
import ProportionStrip from '@/stations/rehearse/ProportionStrip.vue'
import RehearseStation from '@/stations/rehearse/RehearseStation.vue'
import { overview } from '@/testing/overview'
import { open } from '@/testing/page'
import { refusal, server } from '@/testing/server'

type Said = Parameters<typeof overview>[0]

let drift: object = { since: null, changes: [] }
let shown: object[] = []
const amiss = (name: string, text: string) => ({ name, state: 'warned', text, remedy: 'Set it right.' })

async function station(said: Said, role: 'editor' | 'viewer' = 'editor', points: object[] = [], pilot: number[] = []) {
  server.answers['GET /api/imports/7/rehearsal/preflight'] = points
  server.answers['GET /api/imports/7/rehearsal/pilot'] = { items: pilot, counts: {} }
  server.answers['GET /api/imports/7/rehearsal/drift'] = drift
  server.answers['GET /api/imports/7/rehearsal'] = { ...overview(said).rehearse, changed_fields: [] }
  server.answers['POST /api/imports/7/ledger'] = { lines: [], records: shown, total: shown.length, offset: 0 }
  return open(RehearseStation, { overview: overview(said) }, { at: '/imports/7/rehearse', role })
}

describe('the station', () => {
  it('says what a rehearsal is, and begins it', async () => {
    const page = await station({})
    expect(page.text()).toContain('The site is not changed.')
    server.answers['POST /api/imports/7/rehearsal'] = overview({ rehearse: { state: 'reading' } })
    await page.press('Rehearse')
    await vi.waitUntil(() => server.asked.some((one) => one.what === 'POST /api/imports/7/rehearsal'))
  })

  it('says why it cannot begin', async () => {
    const page = await station({})
    server.answers['POST /api/imports/7/rehearsal'] = refusal(409, 'No match key is chosen.', 'At Map, choose one.')
    await page.press('Rehearse')
    await vi.waitUntil(() => page.text().includes('No match key is chosen. At Map, choose one.'))
  })

  it('tells how far the reading is', async () => {
    const known = await station({ rehearse: { state: 'reading', records_read: 1400, records_on_site: 5690 } })
    expect(known.text()).toContain('1,400 records read of 5,690. You can close this tab; it goes on.')
    const unknown = await station({ rehearse: { state: 'reading', records_read: 1, records_on_site: null } })
    expect(unknown.text()).toContain('1 record read. You can close this tab; it goes on.')
  })

  it.each<[string, Said, string[]]>([
    ['is ready', { rehearse: {} }, ['Rehearse again', 'Run 1,858 records']],
    ['would send nothing', { rehearse: { counts: { unchanged: 9 } } }, ['Rehearse again']],
    ['is stale', { rehearse: { stale: 'the mapping changed' } }, ['Rehearse again']],
    ['failed', { rehearse: { state: 'failed', error: 'The site does not answer.' } }, ['Rehearse again']],
  ])('a plan that %s', async (_, said, actions) => {
    const page = await station(said)
    expect(page.actions().filter((name) => /^(Rehearse|Run) /.test(name))).toEqual(actions)
  })

  it('asks for what is not in order by name, and runs only when all of it is agreed to', async () => {
    const points = [
      amiss('mail', 'the site sends its mail, for up to 1,858 records'),
      amiss('backup', 'nobody has downloaded what the site has now'),
    ]
    const page = await station({ rehearse: {} }, 'editor', points)
    const begun = () => server.asked.find((one) => one.what === 'POST /api/imports/7/runs')
    server.answers['POST /api/imports/7/runs'] = overview({ run: {} })
    await vi.waitUntil(() => page.text().includes('The site sends its mail'))
    await page.press('Run 1,858 records')
    await vi.waitUntil(() => page.text().includes('Please confirm each of these'))
    await page.press('Do not run yet')
    await page.press('Run 1,858 records')
    const boxes = () => [...document.querySelectorAll<HTMLInputElement>('input[type=checkbox]')]
    await vi.waitUntil(() => boxes().length === 2)
    boxes()[0]?.click()
    await vi.waitUntil(() => boxes()[0]?.checked)
    expect(page.actions()).not.toContain('Run 1,858 records all the same')
    boxes()[1]?.click()
    await page.press('Run 1,858 records all the same')
    await vi.waitUntil(begun)
    expect(begun()?.body).toMatchObject({ kind: 'main', agreed: ['mail', 'backup'], deletes: null })
  })

  it('does not run while something is held that nobody can agree to', async () => {
    const held = { ...amiss('room', 'the site would have 12 of at most 10 customers'), state: 'held' }
    const page = await station({ rehearse: {} }, 'editor', [held])
    await vi.waitUntil(() => page.text().includes('12 of at most 10'))
    await page.press('Run 1,858 records')
    await vi.waitUntil(() => page.text().includes('Fix this first'))
    const boxes = [...document.querySelectorAll<HTMLInputElement>('input[type=checkbox]')]
    expect(boxes.map((one) => one.disabled)).toEqual([true])
    expect(page.actions()).not.toContain('Run 1,858 records all the same')
  })

  it('has the number typed of what is deleted', async () => {
    const page = await station({ rehearse: { counts: { delete: 1204 }, to_send: 1204 } })
    const begun = () => server.asked.find((one) => one.what === 'POST /api/imports/7/runs')
    server.answers['POST /api/imports/7/runs'] = overview({ run: {} })
    await page.press('Run 1,204 records')
    const field = await vi.waitUntil(() => document.querySelector<HTMLInputElement>('input[inputmode=numeric]'))
    for (const [typed, may] of [
      ['1203', false],
      ['1,204', true],
    ] as const) {
      field.value = typed
      field.dispatchEvent(new Event('input'))
      const run = () => [...document.querySelectorAll('.modal button')].at(-1)!
      await vi.waitUntil(() => run().hasAttribute('disabled') !== may)
    }
    ;([...document.querySelectorAll('.modal button')].at(-1) as HTMLElement).click()
    await vi.waitUntil(begun)
    expect(begun()?.body).toMatchObject({ deletes: 1204 })
  })

  it('offers a pilot of what shows all that the plan does, and more that is chosen', async () => {
    const page = await station({ rehearse: {} }, 'editor', [amiss('pilot', 'no pilot went first')], [2, 3, 9])
    server.answers['POST /api/imports/7/runs'] = overview({ rehearse: {}, run: { kind: 'pilot' } })
    await page.press('Pilot: 3 records first')
    await vi.waitUntil(() => page.router.currentRoute.value.path === '/imports/7/run')
    expect(server.asked.at(-1)?.body).toMatchObject({ kind: 'pilot', telling: true, items: [] })
  })

  it('offers for the pilot what goes, and not what is held', async () => {
    const head = (row: number, label: string, note: string) => ({ row, label, note, place: '', mark: '', lines: {} })
    shown = [
      head(2, 'Ada', 'row 3 means the same record on the site'),
      head(4, 'Bo', 'unchanged'),
      head(5, 'Cy', 'delete'),
    ]
    const page = await station({ rehearse: {} }, 'editor', [], [9])
    await vi.waitUntil(() => page.actions().includes('Have Cy go with it'))
    await page.press('Have Cy go with it')
    await vi.waitUntil(() => page.actions().includes('Pilot: 2 records first'))
    expect(page.text()).not.toContain('go with it')
    shown = []
  })

  it('lets a viewer look, and begin nothing', async () => {
    expect((await station({}, 'viewer')).actions()).toEqual([])
    const page = await station({ rehearse: {} }, 'viewer')
    expect(page.actions().filter((name) => /^(Rehearse|Run)/.test(name))).toEqual([])
    expect(page.text()).toContain('1,812 create')
  })

  it('says what was wrong, and what makes a plan stale', async () => {
    const failed = await station({ rehearse: { state: 'failed', error: 'The site does not answer.' } })
    expect(failed.find('[role=alert]').textContent).toContain('The site does not answer.')
    expect((await station({ rehearse: { stale: 'a rule was added' } })).text()).toContain('Stale: a rule was added.')
  })

  it('says what is otherwise than at the rehearsal before, and how long it will take', async () => {
    const changes = [
      { was: 'update', now: 'create', records: 12 },
      { was: null, now: 'create', records: 1 },
      { was: 'held', now: null, records: 2 },
    ]
    drift = { since: '2026-11-25T09:00:00Z', changes }
    const page = await station({ rehearse: { seconds_expected: 250 } })
    drift = { since: null, changes: [] }
    await vi.waitUntil(() => page.text().includes('Since the rehearsal of 25 Nov 2026'))
    expect(page.text()).toContain(
      '12 records create now, update before, 1 record more, create and 2 records fewer, held before.',
    )
    expect(page.text()).toContain('It takes 4 minutes or so, as fast as the last run.')
  })

  it('leads on to the run', async () => {
    const page = await station({ rehearse: {} })
    server.answers['POST /api/imports/7/runs'] = overview({ rehearse: {}, run: {} })
    await page.press('Run 1,858 records')
    await vi.waitUntil(() => page.router.currentRoute.value.path === '/imports/7/run')
  })
})

it('shows what is to be looked at before the run, with a mark each', async () => {
  const page = await open(PreflightList, { points: [amiss('mail', 'the site sends its mail'), amiss('disk', 'full')] })
  expect(page.find('ul').querySelectorAll('li svg')).toHaveLength(2)
  const fine = [amiss('mail', 'x'), { ...amiss('disk', 'plenty is free'), state: 'good', remedy: '' }]
  expect((await open(PreflightList, { points: fine })).text()).toContain('In order: disk')
})

it('shows every action with its share, and shows the records of the one that is chosen', async () => {
  const choose = vi.fn()
  const counts = { create: 150, update: 50 }
  const page = await open(ProportionStrip, { counts, onChoose: choose })
  expect(page.text()).toMatch(/150 create 75%.*50 update 25%.*0 unchanged 0%.*0 left out 0%.*0 held 0%.*= 200 records/)
  expect(page.actions()).toEqual(['150 create 75%', '50 update 25%'])
  await page.press('50 update 25%')
  expect(choose).toHaveBeenCalledWith('update')
})

it('shows the fields that change, from what to what', async () => {
  const choose = vi.fn()
  const changes = [
    {
      field: 'address.city',
      records: 46,
      examples: [
        ['', 'Oslo', 40],
        ['Bergen', null, 1000],
        ['a', 'b', 1],
      ],
    },
  ]
  const page = await open(ChangedFields, {
    changes,
    counts: { update: 46 },
    titles: { 'address.city': 'City' },
    chosen: undefined,
    onChoose: choose,
  })
  expect(page.text()).toContain('blank → Oslo40Bergen → blank1,000')
  expect(page.text()).not.toContain('a → b')
  await page.press(/^City/)
  expect(choose).toHaveBeenCalledWith('address.city')
  const none = await open(ChangedFields, { changes: [], counts: { unchanged: 3 }, titles: {}, chosen: undefined })
  expect(none.text()).toBe('The site would stay as it is.')
})
