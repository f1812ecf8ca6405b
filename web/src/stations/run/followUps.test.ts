import { describe, expect, it, vi } from 'vitest'
import FollowUps from '@/stations/run/FollowUps.vue'
import type { FollowUpState } from '@/stations/run/useFollowUps'
import { fill, open } from '@/testing/page'
import { server } from '@/testing/server'

const PATH = '/api/imports/7/runs/5/follow-ups'
const letter = { kind: 'mail', to: 'email', subject: 'Your account', text: 'Dear [Name]', per_minute: 60 } as const
const rehearsed: FollowUpState = {
  plan_id: 9,
  run_id: null,
  asked: { what: letter, of: 'created' },
  by: 'ada',
  at: '2026-11-29T09:00:00Z',
  state: 'ready',
  error: '',
  records: 26,
  held: 2,
  why: { 'it has no address': 2 },
  left: [{ item: 4, key: 'K-4', reason: 'it has no address', page: null }],
  examples: [{ item: 2, key: 'K-2', page: null, says: { to: 'ada@quillmoss.example', subject: 'Your account' } }],
  done: 0,
  failed: 0,
  refused: [],
}
const offered = { actions: ['invite'], addresses: { email: 'E-mail' }, names: ['Name', 'page'], mail: true }

async function panel(all: FollowUpState[] = [], there: object = offered) {
  server.answers[`GET ${PATH}`] = all
  server.answers[`GET ${PATH}/offered`] = there
  return open(FollowUps, { id: 7, run: 5, headers: ['E-mail', 'Old URL'] })
}

describe('a follow-up', () => {
  it('is rehearsed and shown before anything is done, for as many as were shown', async () => {
    const page = await panel()
    await vi.waitUntil(() => page.text().includes('Nothing was done for these records since.'))
    await page.press('Follow up …')
    await vi.waitUntil(() => page.text().includes('Call an action of the site'))
    expect(page.text()).toContain('A follow-up cannot be taken back.')
    server.answers[`POST ${PATH}`] = [rehearsed]
    await page.press('Show what would be done')
    await vi.waitUntil(() => page.text().includes('2 records left: it has no address'))
    expect(server.asked.find((one) => one.what === `POST ${PATH}`)?.body).toEqual({
      what: { kind: 'action', action: 'invite', values: {} },
      of: 'created',
    })
    expect(page.text()).toContain('ada@quillmoss.example')
    server.answers[`POST ${PATH}/9/run`] = [{ ...rehearsed, run_id: 12, state: 'done', done: 26 }]
    await page.press('Send 26 mails')
    await vi.waitUntil(() => page.text().includes('26 of 26 done'))
    expect(server.asked.find((one) => one.what === `POST ${PATH}/9/run`)?.body).toEqual({ records: 26 })
    expect(page.actions()).not.toContain('Send 26 mails')
  })

  it('of mail asks for a subject and a text first', async () => {
    const page = await panel([], { ...offered, actions: [] })
    await page.press('Follow up …')
    await vi.waitUntil(() => page.text().includes('the site’s description names none'))
    await vi.waitUntil(() => page.text().includes('[Name] [page]'))
    expect(page.text()).toContain('To the address in E-mail')
    expect(page.actions()).not.toContain('Show what would be done')
    fill('input[maxlength="200"]', 'Hello')
    fill('textarea', 'Dear [Name]')
    await vi.waitUntil(() => page.actions().includes('Show what would be done'))
  })

  it('that cannot be had is offered with the reason', async () => {
    const page = await panel([], { actions: [], addresses: {}, names: [], mail: false })
    await page.press('Follow up …')
    await vi.waitUntil(() => page.text().includes('Datorum knows no mail server'))
    expect(page.actions()).not.toContain('Show what would be done')
  })

  it.each([
    [{ state: 'reading' }, 'the site is being read'],
    [{}, 'rehearsed for 26 records'],
    [{ run_id: 3, state: 'running', done: 4 }, 'running: 4 of 26 records done'],
    [{ run_id: 3, state: 'done', done: 25, failed: 1 }, '25 of 26 records done, 1 refused'],
  ])('is told with what came of it', async (state, says) => {
    const page = await panel([{ ...rehearsed, ...state } as FollowUpState])
    await vi.waitUntil(() => page.text().includes(says))
    expect(page.text()).toContain('mail “Your account”')
  })
})

it('the records are taken away as lists, with columns of the sheet', async () => {
  const page = await panel()
  await page.press('Take a list away …')
  await vi.waitUntil(() => page.text().includes('Old and new addresses'))
  const links = () => [...document.querySelectorAll('a')].map((one) => one.getAttribute('href'))
  expect(links()).toContain('/api/imports/7/runs/5/records.csv?')
  // The column that reads like an address is chosen by itself.
  expect(links()).toContain('/api/imports/7/runs/5/redirects.xlsx?column=Old+URL')
})
