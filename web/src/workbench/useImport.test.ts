import { describe, expect, it, vi } from 'vitest'
import { ref } from 'vue'
import { queries } from '@/api/queries'
import { overview, usual } from '@/testing/overview'
import { use } from '@/testing/page'
import { refusal, server } from '@/testing/server'
import { useActions, useImport, working } from '@/workbench/useImport'

type Said = Parameters<typeof overview>[0]

describe('a worker has something under way', () => {
  it.each<[string, Said, boolean]>([
    ['nothing', {}, false],
    ['a check that waits', { checking: { state: 'waiting' } }, true],
    ['a check', { checking: { state: 'checking' } }, true],
    ['a check that failed', { checking: { state: 'failed' } }, false],
    ['a rehearsal', { rehearse: { state: 'reading' } }, true],
    ['a rehearsal that is made', { rehearse: { state: 'ready' } }, false],
    ['a run that waits', { run: { state: 'waiting' } }, true],
    ['a run', { run: { state: 'running' } }, true],
    ['a paused run', { run: { state: 'paused' } }, false],
    ['a paused run with records on their way', { run: { state: 'paused', in_doubt: 2 } }, true],
    ['a run that is done', { run: { state: 'done' } }, false],
    ['a run that was ended with records in doubt', { run: { state: 'ended', in_doubt: 2 } }, false],
    ['a verification', { verify: { state: 'reading' } }, true],
    ['a verification that is made', { verify: { state: 'done' } }, false],
  ])('%s', (_, said, expected) => expect(working(overview(said))).toBe(expected))

  it('not while nothing is known', () => expect(working(undefined)).toBe(false))
})

it('asks again while a worker is on it, and no more when it is over', async () => {
  vi.useFakeTimers()
  try {
    let state = 'running'
    server.answers['GET /api/imports/7'] = () => overview({ run: { state } })
    const { data } = await use(() => useImport(ref(7)))
    await vi.advanceTimersByTimeAsync(1100)
    expect(server.asked.length).toBe(3)
    state = 'done'
    await vi.advanceTimersByTimeAsync(600)
    expect(data.value?.run?.state).toBe('done')
    await vi.advanceTimersByTimeAsync(5000)
    expect(server.asked.length).toBe(4)
  } finally {
    vi.useRealTimers()
  }
})

describe('what is asked for', () => {
  it.each([
    ['stopCheck', 'POST /api/imports/7/check/stop'],
    ['rehearse', 'POST /api/imports/7/rehearsal'],
    ['pause', 'POST /api/imports/7/runs/5/pause'],
    ['resume', 'POST /api/imports/7/runs/5/continue'],
    ['end', 'POST /api/imports/7/runs/5/end'],
    ['verify', 'POST /api/imports/7/runs/5/verification'],
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
      { kind: 'main', telling: true, items: [], deletes: null },
      { kind: 'pilot', telling: true, items: [9], deletes: null },
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
