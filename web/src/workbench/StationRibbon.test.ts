import { describe, expect, it } from 'vitest'
import { overview } from '@/testing/overview'
import { open } from '@/testing/page'
import StationRibbon from '@/workbench/StationRibbon.vue'

type Said = Parameters<typeof overview>[0]

/** What the ribbon says under each station. */
async function told(said: Said): Promise<Record<string, string>> {
  const page = await open(StationRibbon, { overview: overview(said), station: 'map' })
  const stations = [...page.find('nav').querySelectorAll('a')]
  return Object.fromEntries(
    stations.map((one) => [
      one.querySelector('b')!.textContent!.toLowerCase(),
      one.querySelector('.told')!.textContent!.replaceAll(/\s+/g, ' ').trim(),
    ]),
  )
}

it('says of an import that was only read what it holds and what is fed', async () => {
  expect(await told({})).toEqual({
    read: '2,412 rows, 21 columns',
    map: '17 of 18 fields fed',
    check: 'not yet',
    rehearse: 'not yet',
    run: 'not yet',
    verify: 'not yet',
  })
})

it('marks the station one is at, and leads to the others', async () => {
  const page = await open(StationRibbon, { overview: overview({}), station: 'check' })
  expect(page.find('[aria-current=page]').textContent).toContain('Check')
  expect([...page.find('nav').querySelectorAll('a')].map((one) => one.getAttribute('href'))).toEqual(
    ['read', 'map', 'check', 'rehearse', 'run', 'verify'].map((station) => `/imports/7/${station}`),
  )
})

describe('Check', () => {
  it.each<[string, Said, string]>([
    ['goes on', { checking: { done: 603 } }, '25% of 2,412'],
    ['waits for a worker', { checking: { state: 'waiting' } }, '0% of 2,412'],
    ['failed, and says nothing of it here', { checking: { state: 'failed' } }, 'not yet'],
    ['found rows to hold', { check: {} }, '31 held 2,381 ready'],
    ['found nothing', { check: { held: 0, ready: 2412 } }, 'none held 2,412 ready'],
    ['left rows out and warned', { check: { left_out: 3, warned: 12 } }, '31 held 2,381 ready 3 out 12'],
    ['is stale, and why', { check: { stale: 'the mapping changed' } }, 'stale: the mapping changed'],
    ['goes on again over an older one', { check: {}, checking: { done: 2412 } }, '100% of 2,412'],
  ])('%s', async (_, said, text) => expect((await told(said)).check).toBe(text))

  it('shows the shares of rows that are ready, warned, held and left out', async () => {
    const said = { check: { rows: 100, ready: 70, warned: 10, held: 25, left_out: 5 } }
    const page = await open(StationRibbon, { overview: overview(said), station: 'map' })
    const widths = [...page.find('.strip').querySelectorAll('i')].map((one) => one.style.width)
    expect(widths).toEqual(['60%', '10%', '25%', '5%'])
  })
})

describe('Rehearse', () => {
  it.each<[string, Said, string]>([
    ['reads', { rehearse: { state: 'reading', records_read: 1 } }, 'reading the site: 1 record'],
    ['failed', { rehearse: { state: 'failed' } }, 'the site could not be read'],
    ['is ready', { rehearse: {} }, '1,812 create 46 update'],
    ['changes nothing', { rehearse: { counts: {} } }, '0 create 0 update'],
    ['is stale', { rehearse: { stale: 'the policy changed' } }, 'stale: the policy changed'],
    ['was run, and is not stale by it', { rehearse: { stale: 'x' }, run: {} }, '1,812 create 46 update'],
  ])('%s', async (_, said, text) => expect((await told(said)).rehearse).toBe(text))
})

describe('Run', () => {
  it.each<[string, Said, string]>([
    ['goes on', { run: { done: 900, failed: 29 } }, '50% of 1,858'],
    ['waits', { run: { state: 'waiting' } }, '0 done waiting'],
    ['is paused', { run: { state: 'paused', done: 12 } }, '12 done paused'],
    ['is done', { run: { state: 'done', done: 1858 } }, '1,858 done'],
    ['is done but for some', { run: { state: 'done', done: 1850, failed: 8 } }, '1,850 done 8 failed'],
    ['was ended', { run: { state: 'ended', done: 2, failed: 1 } }, '2 done 1 failed ended'],
  ])('%s', async (_, said, text) => expect((await told(said)).run).toBe(text))
})

describe('Verify', () => {
  it.each<[string, Said, string]>([
    ['reads back', { verify: { state: 'reading', records_read: 200 } }, 'reading back: 200 records'],
    ['failed', { verify: { state: 'failed' } }, 'could not be read back'],
    ['found all as sent', { verify: {} }, '1,858 records as sent'],
    ['found what differs', { verify: { mismatches: 3 } }, '3 fields differ'],
  ])('%s', async (_, said, text) => expect((await told(said)).verify).toBe(text))
})
