import { describe, expect, it, vi } from 'vitest'
import ChangedFields from '@/stations/rehearse/ChangedFields.vue'
import PreflightList from '@/stations/rehearse/PreflightList.vue'
import ProportionStrip from '@/stations/rehearse/ProportionStrip.vue'
import RehearseStation from '@/stations/rehearse/RehearseStation.vue'
import { overview } from '@/testing/overview'
import { open } from '@/testing/page'
import { refusal, server } from '@/testing/server'

type Said = Parameters<typeof overview>[0]

async function station(said: Said, role: 'editor' | 'viewer' = 'editor') {
  server.answers['GET /api/imports/7/rehearsal'] = { ...overview(said).rehearse, changed_fields: [] }
  server.answers['POST /api/imports/7/ledger'] = { lines: [], records: [], total: 0, offset: 0 }
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

  it('asks before mail may go out, and runs only when that is agreed to', async () => {
    const page = await station({ rehearse: {}, policy: { send_mail: true } })
    const begun = () => server.asked.some((one) => one.what === 'POST /api/imports/7/runs')
    server.answers['POST /api/imports/7/runs'] = overview({ run: {} })
    await page.press('Run 1,858 records')
    await vi.waitUntil(() => page.text().includes('up to 1,858 records may each bring somebody a message'))
    await page.press('Do not run yet')
    expect(begun()).toBe(false)
    await page.press('Run 1,858 records')
    await page.press('Run 1,858 records all the same')
    await vi.waitUntil(begun)
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

  it('leads on to the run', async () => {
    const page = await station({ rehearse: {} })
    server.answers['POST /api/imports/7/runs'] = overview({ rehearse: {}, run: {} })
    await page.press('Run 1,858 records')
    await vi.waitUntil(() => page.router.currentRoute.value.path === '/imports/7/run')
  })
})

it('shows what is to be looked at before the run, with a mark each', async () => {
  const page = await open(PreflightList, { overview: overview({ rehearse: {} }) })
  expect(page.find('ul').querySelectorAll('li svg')).toHaveLength(4)
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
