import { describe, expect, it } from 'vitest'
import { overview } from '@/testing/overview'
import { mailWarning, nothingChanges, planFoot, preflight, proof } from '@/workbench/summaries'

type Said = Parameters<typeof overview>[0]
const READ = '2026-11-26T09:00:00Z'
const NOW = Date.parse('2026-11-26T09:20:00Z')
const lines = (said: Said) => preflight(overview(said), NOW).map((one) => `${one.state || 'plain'}: ${one.text}`)
const line = (point: { state: string; text: string }) => `${point.state || 'plain'}: ${point.text}`

describe('before a run', () => {
  it.each<[string, Said, string]>([
    ['is told to send none', {}, ''],
    ['is let go', { policy: { send_mail: true } }, 'The site sends mail as it always does: up to 1,858 records'],
    ['cannot be silenced', { site_can_be_silenced: false }, 'does not say how its mail is silenced: up to 1,858'],
  ])('asks first where mail %s', (_, said, asked) => {
    const warning = mailWarning(overview({ rehearse: {}, ...said }))
    expect(warning).toContain(asked)
    expect(!!warning).toBe(!!asked)
  })

  it('says nothing where nothing was rehearsed', () => expect(preflight(overview({}))).toEqual([]))

  it('is all well', () =>
    expect(lines({ rehearse: { snapshot_at: READ } })).toEqual([
      'good: The site is asked to send no mail',
      'good: Plan is what the sheet and mapping say',
      'good: The site was read 20 minutes ago: 569 records',
      'good: Every column used or left out',
    ]))

  it.each<[string, Said, string]>([
    ['mail is sent', { policy: { send_mail: true } }, 'warned: The site sends its mail: for up to 1,858 records'],
    [
      'mail cannot be silenced',
      { site_can_be_silenced: false },
      'warned: The site does not say how to silence its mail',
    ],
    ['the plan is stale', { rehearse: { stale: 'the policy changed' } }, 'held: Plan stale: the policy changed'],
    [
      'the reading failed',
      { rehearse: { state: 'failed', snapshot_at: null, records_read: 0 } },
      'held: The site was not read to its end: 0 records came',
    ],
    [
      'the rehearsal failed',
      { rehearse: { state: 'failed', stale: 'x' } },
      'held: There is no plan: the rehearsal failed',
    ],
    ['the run is over', { rehearse: { stale: 'x' }, run: { state: 'done', done: 1858 } }, 'good: Plan carried out'],
    [
      'the site refused some',
      { rehearse: {}, run: { state: 'done', done: 1857, failed: 1 } },
      'warned: Plan carried out; the site refused 1 record',
    ],
    ['the run goes on', { rehearse: { stale: 'x' }, run: { state: 'running' } }, 'same: A run of this plan is running'],
    ['columns are open', { map: { unplaced: ['A', 'B'] } }, 'warned: 2 columns neither used nor left out'],
    ['a column is open', { map: { unplaced: ['A'] } }, 'warned: 1 column neither used nor left out'],
  ])('%s', (_, said, text) => expect(lines({ rehearse: {}, ...said })).toContain(text))

  it('warns of a site that was read long ago', () =>
    expect(lines({ rehearse: { snapshot_at: '2026-11-26T07:20:00Z' } })).toContain(
      'warned: The site was read 2 hours ago: 569 records',
    ))
})

it.each<[Record<string, number>, string]>([
  [{ create: 291 }, 'No record that is on the site now changes; 291 records would be added.'],
  [{ create: 1, held: 4 }, 'No record that is on the site now changes; 1 record would be added.'],
  [{ unchanged: 9 }, 'The site would stay as it is.'],
  [{ create: 2, update: 3 }, ''],
])('says of %o what changes', (counts, text) => expect(nothingChanges(counts)).toBe(text))

it.each<[string, Said, string]>([
  ['none held', { rehearse: { counts: { create: 3 } } }, 'plain: No record is held.'],
  ['one held', { rehearse: { counts: { held: 1 } } }, 'plain: 1 record held stays behind; it can come in a later run.'],
  ['held', { rehearse: {} }, 'plain: 31 records held stay behind; they can come in a later run.'],
  ['stale', { rehearse: { stale: 'a rule was added' } }, 'warned: Stale: a rule was added.'],
  [
    'carried out',
    { rehearse: { stale: 'a rule was added' }, run: { state: 'done' } },
    'good: This plan was carried out. Rehearse again for what is left.',
  ],
  ['paused', { rehearse: {}, run: { state: 'paused' } }, 'same: A run of this plan is paused.'],
  ['failed', { rehearse: { state: 'failed', error: 'x' } }, 'held: The site could not be read, so there is no plan.'],
])('says at the foot of a plan: %s', (_, said, text) => expect(line(planFoot(overview(said)))).toBe(text))

it.each<[string, Said, string]>([
  ['not yet', { run: {} }, 'plain: not yet'],
  ['all as sent', { run: { done: 1858 }, verify: {} }, 'good: 1,858 records on the site as sent'],
  [
    'some refused',
    { run: { done: 1855, failed: 3 }, verify: { compared: 1855 } },
    'warned: 1,855 records on the site as sent, 3 refused',
  ],
  [
    'all refused',
    { run: { total: 3, done: 0, failed: 3 }, verify: { compared: 0, fields_compared: 0 } },
    'held: 3 refused',
  ],
  [
    'ended early',
    { run: { state: 'ended', done: 1000, failed: 8 }, verify: { compared: 1000 } },
    'warned: 1,000 records on the site as sent, 8 refused, 850 not sent',
  ],
  ['one differs', { run: { done: 1858 }, verify: { mismatches: 1 } }, 'held: 1 field differs'],
  [
    'some differ, some were refused',
    { run: { done: 1856, failed: 2 }, verify: { mismatches: 4 } },
    'held: 4 fields differ, 2 refused',
  ],
  [
    'nothing was sent',
    { run: { total: 0 }, verify: { compared: 0, fields_compared: 0 } },
    'same: Nothing was sent, so nothing is compared',
  ],
])('proves: %s', (_, said, text) => expect(line(proof(overview(said)))).toBe(text))
