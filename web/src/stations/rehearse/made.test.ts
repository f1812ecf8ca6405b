import { expect, it, vi } from 'vitest'
import MadeList from '@/stations/rehearse/MadeList.vue'
import TreeAfter from '@/stations/rehearse/TreeAfter.vue'
import { open } from '@/testing/page'
import { server } from '@/testing/server'

const one = (key: string, state: string, message = '') => ({
  record_type: 'customers',
  key,
  fields: [{ title: 'Name', value: 'Siv' }],
  state,
  message,
  page: null,
})

it('tells what is made first, and what became of each', async () => {
  server.answers['GET /api/imports/7/rehearsal/made'] = {
    total: 140,
    records: [one('siv@x.no', 'pending'), one('ida@x.no', 'failed', 'The site refused it.')],
  }
  const page = await open(MadeList, { id: 7, planKey: '3/ready', made: { customers: 140 } })
  expect(page.text()).toContain('customers that records need and the site lacks140')
  await page.press('Look at them')
  await vi.waitUntil(() => page.text().includes('siv@x.no'))
  expect(page.text()).toContain('to be made')
  expect(page.text()).toContain('The site refused it.')
  await page.press('Next')
  await vi.waitUntil(() => server.asked.at(-1)?.query.offset === '100')
})

it('says nothing where nothing is made', async () => {
  const page = await open(MadeList, { id: 7, planKey: '3/ready', made: {} })
  expect(page.text()).not.toContain('Made first')
})

it('shows the tree as it would be, with what comes and what moves', async () => {
  const node = (label: string, deep: number, mark: string, more = {}) => ({ label, deep, mark, lost: false, ...more })
  server.answers['GET /api/imports/7/rehearsal/tree'] = {
    total: 3,
    nodes: [
      node('Roots', 0, 'same', { page: 'https://quillmoss.example/roots' }),
      node('Beets', 1, 'moved', { was_below: 'Leaves' }),
      node('Round', 2, 'new', { lost: true }),
    ],
  }
  const page = await open(TreeAfter, { id: 7, planKey: '3/ready' })
  await page.press('Look at the tree after the run')
  await vi.waitUntil(() => page.text().includes('moved from below Leaves'))
  expect(page.text()).toContain('Roundnew')
  expect(page.text()).toContain('what it stands below is not there')
  expect([...document.querySelectorAll<HTMLElement>('.tree li')].map((item) => item.style.paddingLeft)).toEqual([
    '0px',
    '20px',
    '40px',
  ])
})
