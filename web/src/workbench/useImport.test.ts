import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { computed, ref } from 'vue'
import { queries } from '@/api/queries'
import { useRunProgress } from '@/stations/run/useRun'
import { overview, usual } from '@/testing/overview'
import { use } from '@/testing/page'
import { refusal, server } from '@/testing/server'
import { Telling } from '@/testing/telling'
import { followImport, withTold } from '@/workbench/events'
import { useActions, useImport } from '@/workbench/useImport'

describe('what is told of an import', () => {
  const said = { stamp: 'a', checking: null, rehearse: null, progress: null, verify: null, afterwards: null }
  const run = overview({ run: {} }).run

  beforeEach(() => {
    Telling.open = []
    vi.stubGlobal('EventSource', Telling)
    server.answers['GET /api/imports/7'] = () => overview({ run: { done: 1 } })
  })
  afterEach(() => vi.unstubAllGlobals())

  it('is shown at once, and the import asked for anew only where more than figures has changed', async () => {
    const { data } = await use(() => useImport(ref(7)))
    await vi.waitUntil(() => data.value)
    const [telling] = Telling.open
    expect(telling?.address).toBe('/api/imports/7/events')
    telling?.tell({ ...said, run: { ...run, done: 40 } })
    await vi.waitUntil(() => server.asked.length === 2)
    telling?.tell({ ...said, run: { ...run, done: 41 } })
    expect(data.value?.run?.done).toBe(41)
    expect(server.asked.length).toBe(2)
    telling?.tell({ ...said, stamp: 'b', run })
    await vi.waitUntil(() => server.asked.length === 3)
  })

  it('of a run that is under way brings how far each part of it is; where it has come to a stop that is asked for', async () => {
    const nothing = { pace: [], happened: [], latest: [], refusals: [] }
    const parts = (done: number) => [{ record_type: '', action: 'create', total: 50, done, failed: 0 }]
    server.answers['GET /api/imports/7/runs/5/progress'] = { ...nothing, parts: parts(1) }
    const { run, seen } = await use(() => {
      const { data } = useImport(ref(7))
      const run = computed(() => data.value?.run ?? null)
      return { run, seen: useRunProgress(ref(7), run).data }
    })
    const asked = () => server.asked.filter((one) => one.what.endsWith('/progress')).length
    await vi.waitUntil(() => seen.value?.parts[0]?.done === 1)
    const [telling] = Telling.open
    telling?.tell({ ...said, run: { ...run.value, done: 40 }, progress: { ...nothing, parts: parts(40) } })
    await vi.waitUntil(() => seen.value?.parts[0]?.done === 40)
    expect(asked()).toBe(1)
    server.answers['GET /api/imports/7/runs/5/progress'] = { ...nothing, parts: parts(50) }
    telling?.tell({ ...said, run: { ...run.value, state: 'done', done: 50 } })
    await vi.waitUntil(() => seen.value?.parts[0]?.done === 50)
    expect(asked()).toBe(2)
  })

  it('of another run or rehearsal than the one that is shown changes nothing that is shown', () => {
    const shown = overview({ run: { done: 3 }, rehearse: { records_read: 9 } })
    const other = { id: 99, state: 'ready', records_read: 1, records_on_site: 1 }
    const told = { ...said, run: { ...run!, id: 99 }, rehearse: other }
    expect(withTold(shown, told)).toMatchObject({ run: { done: 3 }, rehearse: { records_read: 9 } })
  })

  it('that a reading is over leaves what is shown until all of it is there', () => {
    const shown = overview({ rehearse: { state: 'reading', records_read: 5 } })
    const told = { ...said, run: null, rehearse: { id: 4, state: 'ready', records_read: 9, records_on_site: 9 } }
    expect(withTold(shown, told).rehearse).toMatchObject({ state: 'reading', records_read: 5 })
    const further = { ...told, rehearse: { ...told.rehearse, state: 'reading' } }
    expect(withTold(shown, further).rehearse).toMatchObject({ state: 'reading', records_read: 9 })
  })

  it('comes again after a refusal', async () => {
    vi.useFakeTimers()
    try {
      const end = followImport(7, ['import', 7], () => undefined)
      Telling.open[0]?.refuse()
      expect(Telling.open).toEqual([])
      await vi.advanceTimersByTimeAsync(2100)
      expect(Telling.open.length).toBe(1)
      end()
      expect(Telling.open).toEqual([])
    } finally {
      vi.useRealTimers()
    }
  })
})

describe('what is asked for', () => {
  it.each([
    ['stopCheck', 'POST /api/imports/7/check/stop'],
    ['rehearse', 'POST /api/imports/7/rehearsal'],
    ['stopRehearsal', 'POST /api/imports/7/rehearsal/stop'],
    ['pause', 'POST /api/imports/7/runs/5/pause'],
    ['resume', 'POST /api/imports/7/runs/5/continue'],
    ['end', 'POST /api/imports/7/runs/5/end'],
    ['verify', 'POST /api/imports/7/runs/5/verification'],
    ['stopVerifying', 'POST /api/imports/7/runs/5/verification/stop'],
  ] as const)('%s shows at once what the server then says of the import', async (name, what) => {
    server.answers[what] = overview({ run: { state: 'paused', done: 99 } })
    const actions = await use(() => useActions(ref(7)))
    await (actions[name].mutateAsync as (run: number) => Promise<unknown>)(5)
    expect(server.asked).toEqual([{ what, query: {}, body: undefined }])
    expect(queries.getQueryData(['import', ref(7)])).toMatchObject({ run: { done: 99 } })
  })

  it('a run is that of all that is left, unless a part is asked for', async () => {
    server.answers['POST /api/imports/7/runs'] = overview({ run: {} })
    const actions = await use(() => useActions(ref(7)))
    await actions.run.mutateAsync()
    await actions.run.mutateAsync({ kind: 'pilot', items: [9] })
    expect(server.asked.map((one) => one.body)).toEqual([
      { kind: 'main', telling: true, items: [], deletes: null, agreed: [] },
      { kind: 'pilot', telling: true, items: [9], deletes: null, agreed: [] },
    ])
  })

  it('a policy goes as it was chosen', async () => {
    const policy = { ...usual, on_match: 'skip', send_mail: true } as const
    server.answers['PUT /api/imports/7/policy'] = overview({ policy })
    const actions = await use(() => useActions(ref(7)))
    await actions.setPolicy.mutateAsync(policy)
    expect(server.asked[0]?.body).toEqual(policy)
  })

  it('after a check, import, findings and ledger are asked for anew', async () => {
    server.answers['POST /api/imports/7/check'] = null
    const actions = await use(() => useActions(ref(7)))
    const anew = vi.spyOn(queries, 'invalidateQueries')
    await actions.check.mutateAsync()
    const kinds = anew.mock.calls.map(([filter]) => (filter as { queryKey: unknown[] }).queryKey[0])
    expect(kinds.toSorted()).toEqual(['check', 'import', 'ledger'])
    anew.mockRestore()
  })

  it('a refusal is kept with its remedy, and changes nothing that is shown', async () => {
    server.answers['POST /api/imports/7/runs'] = refusal(409, 'The plan is stale.', 'Rehearse again, then run.')
    const actions = await use(() => useActions(ref(7)))
    await expect(actions.run.mutateAsync()).rejects.toMatchObject({ remedy: 'Rehearse again, then run.', status: 409 })
    expect(queries.getQueryData(['import', ref(7)])).toBeUndefined()
  })
})
