import { describe, expect, it, vi } from 'vitest'
import type { Schemas } from '@/api/client'
import { outcome, verified } from '@/stations/run/outcomes'
import RunHistory from '@/stations/run/RunHistory.vue'
import { open } from '@/testing/page'
import { server } from '@/testing/server'

type Past = Schemas['PastRun']

const past = (more: Partial<Past> = {}): Past => ({
  id: 3,
  import_id: 7,
  import_name: 'Customers',
  record_type: 'customers',
  kind: 'main',
  of_run: null,
  taken_back: 0,
  filename: 'customers.csv',
  state: 'done',
  error: '',
  counts: { create: 8, update: 4 },
  total: 12,
  done: 12,
  failed: 0,
  started_by: 'ada',
  started_at: '2026-11-26T09:00:00Z',
  ended_at: '2026-11-26T09:00:09Z',
  verification: null,
  ...more,
})
const proven = (more: Partial<NonNullable<Past['verification']>>) =>
  past({ verification: { state: 'done', error: '', compared: 12, differ: 0, ended_at: null, ...more } })

describe('what came of a run', () => {
  it.each<[string, Partial<Past>, string]>([
    ['is done', {}, 'good: 12 of 12 records done'],
    ['was refused in part', { done: 9, failed: 3 }, 'held: 9 of 12 records done, 3 refused'],
    ['was paused', { state: 'paused', done: 5 }, 'warned: paused, 5 of 12 records done, 7 to come'],
    ['was ended', { state: 'ended', done: 5, failed: 1 }, 'held: ended, 5 of 12 records done, 1 refused, 6 not sent'],
    ['goes on', { state: 'running', done: 5 }, 'warned: 5 of 12 records done, 7 to come'],
    ['met an error', { state: 'failed', done: 0 }, 'held: stopped by an error, 0 of 12 records done, 12 to come'],
    ['has rows in doubt', { done: 11 }, 'warned: 11 of 12 records done, 1 not settled'],
  ])('that %s', (_, more, said) => {
    const { state, text } = outcome(past(more))
    expect(`${state}: ${text}`).toBe(said)
  })

  it.each<[string, Past, string]>([
    ['is not read back', past(), ': not yet'],
    ['is being read', proven({ state: 'reading' }), ': being read'],
    ['could not be read', proven({ state: 'failed' }), 'held: could not be read'],
    ['differs', proven({ differ: 1 }), 'held: 1 field differs'],
    ['is proven', proven({}), 'good: 12 records as sent'],
    ['had nothing to compare', proven({ compared: 0 }), 'same: 0 records as sent'],
  ])('and that %s', (_, run, said) => {
    const { state, text } = verified(run)
    expect(`${state}: ${text}`).toBe(said)
  })
})

it('lists the runs, and opens what one changed and what was refused', async () => {
  server.answers['GET /api/imports/7/runs'] = [past({ done: 11, failed: 1 }), past({ id: 2, counts: { create: 12 } })]
  server.answers['GET /api/imports/7/runs/3'] = {
    changed_fields: [{ field: 'plan', records: 4, examples: [] }],
    failed: [
      {
        item: 9,
        row: 9,
        key: 'bo@quillmoss.example',
        action: 'create',
        status: 409,
        message: 'exists already',
        attempts: 1,
      },
    ],
    mismatches: [{ row: 4, key: 'a', page: null, field: 'plan', sent: 'grove', found: null }],
  }
  const page = await open(
    RunHistory,
    { id: 7, fresh: '', titles: { plan: 'Plan' }, mayEdit: false },
    { at: '/imports/7/run', role: 'viewer' },
  )
  await vi.waitUntil(() => page.text().includes('8 create, 4 update'))
  expect(page.text()).toContain('12 create')
  await page.press(/^Details of the run/)
  await vi.waitUntil(() => page.text().includes('Plan in 4 records'))
  expect(page.text()).toContain('bo@quillmoss.example, was to create: exists already')
  expect(page.text()).toContain('Plan: sent grove, found blank')
})

it('undoes any run of which the site still has something, and all of them as one', async () => {
  server.answers['GET /api/imports/7/runs'] = [past(), past({ id: 2, kind: 'pilot' }), past({ id: 1, taken_back: 12 })]
  server.answers['GET /api/imports/7/runs/3/undo'] = { runs: 1, state: 'none', counts: {}, why: {}, left: [], total: 0 }
  server.answers['POST /api/imports/7/runs/3/undo'] = {
    plan_id: 8,
    run_id: null,
    runs: 2,
    state: 'ready',
    counts: { delete: 20 },
    why: {},
    left: [],
    total: 20,
  }
  server.answers['GET /api/imports/7/runs/1'] = { changed_fields: [], failed: [], mismatches: [] }
  const page = await open(
    RunHistory,
    { id: 7, fresh: '', titles: {}, mayEdit: true },
    { at: '/imports/7/run', role: 'editor' },
  )
  await vi.waitUntil(() => page.actions().includes('Undo all 2 runs …'))
  await page.press('Undo all 2 runs …')
  await vi.waitUntil(() => document.body.textContent!.includes('Undo all runs of this import'))
  await page.press('Show what would be undone')
  await vi.waitUntil(() => document.body.textContent!.includes('Undo 20 records'))
  // What is wanted otherwise is shown before it can be done.
  document.querySelector<HTMLInputElement>('[role=dialog] input[type=checkbox]')!.click()
  await vi.waitUntil(() => !document.body.textContent!.includes('Undo 20 records'))
  expect(server.asked.find((one) => one.what === 'POST /api/imports/7/runs/3/undo')?.body).toEqual({
    items: null,
    with_earlier: true,
    hold_meant: false,
  })
})
