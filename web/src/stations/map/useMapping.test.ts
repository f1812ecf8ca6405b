import { VueQueryPlugin } from '@tanstack/vue-query'
import { afterEach, beforeEach, expect, it, vi } from 'vitest'
import { createApp, ref } from 'vue'
import { away } from '@/api/away'
import { queries } from '@/api/queries'
import { session } from '@/session/session'
import { useMapping, type Mapping } from '@/stations/map/useMapping'
import { server } from '@/testing/server'

/** What the server holds, and what it was asked to keep. */
let held: { version: number; mapping: Mapping }
let saved: Mapping[]
let refuse: number | null

const field = (...columns: string[]) => ({ columns, steps: [], blank: 'keep' as const, reasons: [] })
const columns = ['Name', 'City', 'Tier'].map((name) => ({ name, sample: '', fill: 1, distinct: 3 }))

async function serve(input: Request): Promise<Response> {
  if (refuse) return Response.json({ title: 'The mapping was changed by somebody else.' }, { status: refuse })
  if (input.method === 'PUT') {
    const asked = (await input.json()) as { base_version: number; mapping: Mapping }
    if (asked.base_version !== held.version)
      return Response.json({ title: 'Changed meanwhile.', current: { ...held, by: 'bo' } }, { status: 409 })
    held = { version: held.version + 1, mapping: asked.mapping }
    saved.push(asked.mapping)
    return Response.json({ version: held.version })
  }
  return Response.json({ ...held, by: 'bo', fields: [], key_candidates: [], columns, unplaced: [] })
}

function use() {
  let found: ReturnType<typeof useMapping>
  const app = createApp({
    setup() {
      found = useMapping(ref(7))
      return () => null
    },
  })
  app.use(VueQueryPlugin, { queryClient: queries })
  app.mount(document.createElement('div'))
  stop = () => app.unmount()
  settled = found!.save
  return found!
}
let stop = () => {}
/** What a test leaves unsaved would be saved in the middle of the next. */
let settled = () => Promise.resolve()

beforeEach(() => {
  held = { version: 3, mapping: { fields: { name: field('Name') }, left_out: ['City'], match_key: 'name' } as Mapping }
  saved = []
  refuse = null
  server.answer = serve
})
afterEach(async () => {
  await settled()
  stop()
  sessionStorage.clear()
  session.value = null
  queries.clear()
})

async function loaded() {
  const mapping = use()
  await vi.waitFor(() => expect(mapping.draft.value).not.toBeNull())
  return mapping
}

it('shows a change at once and saves it shortly after, many as one', async () => {
  const mapping = await loaded()
  mapping.setField('plan', field('Tier'))
  mapping.change({ parameters: { season: 'Spring' } })
  expect(mapping.draft.value?.fields?.plan?.columns).toEqual(['Tier'])
  expect([mapping.saving.value, saved.length]).toEqual([true, 0])
  await vi.waitFor(() => expect(saved).toHaveLength(1))
  await vi.waitFor(() => expect(mapping.saving.value).toBe(false))
  expect(saved[0]?.parameters).toEqual({ season: 'Spring' })
  expect(saved[0]?.fields?.plan?.columns).toEqual(['Tier'])
})

it('undoes and redoes every change, and saves what stands', async () => {
  const mapping = await loaded()
  const before = mapping.draft.value
  mapping.setField('plan', field('Tier'))
  const after = mapping.draft.value
  mapping.undo()
  expect(mapping.draft.value).toEqual(before)
  expect([mapping.canUndo.value, mapping.canRedo.value]).toEqual([false, true])
  mapping.redo()
  expect(mapping.draft.value).toEqual(after)
  mapping.undo()
  await mapping.save()
  expect(saved.at(-1)).toEqual(before)
})

it('can still undo after a reload, unless the mapping was changed elsewhere', async () => {
  const mapping = await loaded()
  const before = mapping.draft.value
  mapping.setField('plan', field('Tier'))
  await mapping.save()
  const reload = async () => {
    stop()
    queries.clear()
    return await loaded()
  }
  const again = await reload()
  expect(again.canUndo.value).toBe(true)
  again.undo()
  expect(again.draft.value).toEqual(before)
  await again.save()
  expect((await reload()).canRedo.value).toBe(true)
  held = { ...held, version: held.version + 1 }
  const elsewhere = await reload()
  expect([elsewhere.canUndo.value, elsewhere.canRedo.value]).toEqual([false, false])
})

it('forgets what could be redone once something else is done', async () => {
  const mapping = await loaded()
  mapping.setField('plan', field('Tier'))
  mapping.undo()
  mapping.setField('company', field('City'))
  expect(mapping.canRedo.value).toBe(false)
})

it('takes a column that feeds something back from those left out, and a key with its field', async () => {
  const mapping = await loaded()
  mapping.setField('city', field('City'))
  expect(mapping.draft.value?.left_out).toEqual([])
  mapping.setField('name', null)
  expect(mapping.draft.value?.match_key).toBeNull()
})

it('says which columns are not placed yet', async () => {
  const mapping = await loaded()
  expect(mapping.unplaced.value.map((column) => column.name)).toEqual(['Tier'])
  mapping.leaveOut('Tier')
  expect(mapping.unplaced.value).toEqual([])
  mapping.bringBack('City')
  expect(mapping.unplaced.value.map((column) => column.name)).toEqual(['City'])
})

it('says that a change was not saved, and keeps it on the screen', async () => {
  const mapping = await loaded()
  refuse = 409
  mapping.change({ parameters: { season: 'Spring' } })
  await mapping.save()
  expect(mapping.error.value?.message).toContain('somebody else')
  expect(mapping.draft.value?.parameters).toEqual({ season: 'Spring' })
})

it('saves one after the other, each on the version before', async () => {
  const mapping = await loaded()
  mapping.change({ parameters: { a: '1' } })
  const first = mapping.save()
  mapping.change({ parameters: { a: '2' } })
  await Promise.all([first, mapping.save()])
  expect(saved.map((one) => one.parameters?.a)).toEqual(['1', '2'])
  expect(held.version).toBe(5)
})

/** Somebody else saves while one edits. */
async function conflicting() {
  const mapping = await loaded()
  mapping.change({ parameters: { season: 'Spring' } })
  held = { version: 4, mapping: { ...held.mapping, parameters: { season: 'Autumn' } } }
  await mapping.save()
  expect(mapping.conflict.value).toMatchObject({ version: 4, by: 'bo' })
  expect(mapping.draft.value?.parameters).toEqual({ season: 'Spring' })
  return mapping
}

it('waits for a save of another part of the page before it says that all is saved', async () => {
  const panel = await loaded()
  let go = () => {}
  const answered = new Promise<void>((resolve) => (go = resolve))
  server.answer = async (input) => {
    if (input.method === 'PUT') await answered
    return serve(input)
  }
  panel.change({ match_key: null })
  const first = panel.save()
  stop()
  const station = use()
  let done = false
  const second = station.save().then(() => (done = true))
  await new Promise((resolve) => setTimeout(resolve, 20))
  expect(done).toBe(false)
  go()
  await Promise.all([first, second])
  expect(saved).toHaveLength(1)
})

it('keeps one’s own mapping as the next version, when that is chosen of two', async () => {
  const mapping = await conflicting()
  mapping.settle(true)
  await mapping.save()
  expect([held.version, held.mapping.parameters?.season]).toEqual([5, 'Spring'])
  expect([mapping.conflict.value, mapping.error.value]).toEqual([null, null])
  mapping.undo()
  expect(mapping.draft.value?.parameters).toEqual({ season: 'Autumn' })
  await mapping.save()
})

it('takes the other mapping, when that is chosen, and one’s own can be had back', async () => {
  const mapping = await conflicting()
  mapping.settle(false)
  expect(mapping.draft.value?.parameters).toEqual({ season: 'Autumn' })
  expect(saved).toEqual([])
  mapping.undo()
  await mapping.save()
  expect([held.version, held.mapping.parameters?.season]).toEqual([5, 'Spring'])
})

/** A sign-in runs out before a change is saved, and the page is left. */
async function signedOutWhileSaving() {
  const mapping = await loaded()
  refuse = 401
  mapping.change({ parameters: { season: 'Spring' } })
  await mapping.save()
  refuse = null
  stop()
  queries.clear()
}

it('loses no change when a sign-in has run out', async () => {
  await signedOutWhileSaving()
  // Signed in again, perhaps by way of another page.
  const after = await loaded()
  expect(after.draft.value?.parameters).toEqual({ season: 'Spring' })
  await vi.waitFor(() => expect(held.mapping.parameters).toEqual({ season: 'Spring' }))
})

it('lets one choose where the mapping was changed while one was signed out', async () => {
  await signedOutWhileSaving()
  held = { ...held, version: 9 }
  const after = await loaded()
  expect(after.draft.value?.parameters).toEqual({ season: 'Spring' })
  expect(after.conflict.value).toMatchObject({ version: 9, by: 'bo' })
  expect(saved).toEqual([])
})

it('saves by itself what could not be saved while the server was away', async () => {
  const mapping = await loaded()
  session.value = { name: 'ada' } as typeof session.value
  refuse = 503
  mapping.change({ parameters: { season: 'Spring' } })
  await mapping.save()
  refuse = null
  away.value = false
  await vi.waitFor(() => expect(held.mapping.parameters).toEqual({ season: 'Spring' }))
})
