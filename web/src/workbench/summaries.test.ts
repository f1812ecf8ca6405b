import { expect, it } from 'vitest'
import { overview } from '@/testing/overview'
import { nothingChanges, planFoot, proof } from '@/workbench/summaries'

type Said = Parameters<typeof overview>[0]
const line = (point: { state: string; text: string }) => `${point.state || 'plain'}: ${point.text}`

it.each<[Record<string, number>, string]>([
  [{ create: 291 }, 'No record that is on the site now changes; 291 records would be added.'],
  [{ create: 1, held: 4 }, 'No record that is on the site now changes; 1 record would be added.'],
  [{ unchanged: 9 }, 'The site would stay as it is.'],
  [{ delete: 2 }, ''],
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
