import { afterEach, describe, expect, it, vi } from 'vitest'
import { defineComponent, h, nextTick, ref } from 'vue'
import FindingRows from '@/stations/check/FindingRows.vue'
import type { Group } from '@/stations/check/useFindings'
import UnreadLinks from '@/stations/check/UnreadLinks.vue'
import { useUnread } from '@/stations/check/useUnread'
import { overview } from '@/testing/overview'
import { fill, open } from '@/testing/page'
import { server, type Asked } from '@/testing/server'
import { kept } from '@/testing/site'
import { Telling } from '@/testing/telling'

const group = { field: 'lines.quantity', rule: 'type', count: 2, accepted: 0 } as Group
const sheets = [
  { role: '', headers: ['Order no.', 'Qty'] },
  { role: 'lines.csv', headers: ['SKU', 'Order no.', 'Qty'] },
]

describe('the rows of a finding', () => {
  async function rows(changed = () => {}) {
    server.answers['GET /api/imports/7/acceptances'] = []
    server.answers['GET /api/imports/7/findings/rows'] = {
      total: 2,
      rows: [
        { sheet: '', row: 2 },
        { sheet: 'lines.csv', row: 2 },
      ],
    }
    server.answers['GET /api/imports/7/rows'] = ({ query }: Asked) => ({
      rows: [query.sheet ? [2, '', ['XX-900', '90001', 'two'], [], ''] : [2, '', ['90001', 'none'], [], '']],
    })
    server.answers['PUT /api/imports/7/cells'] = overview({})
    return open(FindingRows, { id: 7, group, columns: ['Qty'], sheets, onChanged: changed })
  }

  it('are shown with the sheet that they are of, and left out only where they are of the main one', async () => {
    const page = await rows()
    await vi.waitUntil(() => page.text().includes('row 2 of lines.csv'))
    expect(document.querySelectorAll('input[type=checkbox]')).toHaveLength(1)
    expect([...document.querySelectorAll<HTMLInputElement>('.inputs input')].map((one) => one.value)).toEqual([
      'none',
      'two',
    ])
  })

  it('are corrected each in its own sheet', async () => {
    const changed = vi.fn()
    const page = await rows(changed)
    await vi.waitUntil(() => page.text().includes('row 2 of lines.csv'))
    await fill('[aria-label="Qty of row 2 of lines.csv"]', '2')
    await fill('[aria-label="Qty of row 2"]', '1')
    await page.press(/^Correct 2 cells/)
    await vi.waitUntil(() => changed.mock.calls.length)
    expect(server.asked.filter((one) => one.what.startsWith('PUT')).map((one) => one.body)).toEqual([
      { sheet: '', cells: [{ row: 2, column: 'Qty', value: '1' }] },
      { sheet: 'lines.csv', cells: [{ row: 2, column: 'Qty', value: '2' }] },
    ])
  })
})

describe('links that could not be looked for', () => {
  afterEach(() => vi.unstubAllGlobals())

  const checking = ref(false)
  const again = vi.fn()
  const types = ['customers', 'offers']
  const Unread = defineComponent(
    (props: { disabled: boolean }) => {
      const unread = useUnread(
        () => 4,
        () => types,
        () => checking.value,
        again,
      )
      return () => h(UnreadLinks, { types, unread, disabled: props.disabled })
    },
    { props: { disabled: Boolean } },
  )

  async function openUnread(disabled = false) {
    again.mockClear()
    checking.value = false
    vi.stubGlobal('EventSource', Telling)
    server.answers['GET /api/sites/4/snapshot'] = []
    server.answers['POST /api/sites/4/snapshot'] = []
    return open(Unread, { disabled })
  }

  it('have the site’s records read, and are looked for again once they are', async () => {
    const page = await openUnread()
    server.answers['GET /api/sites/4/snapshot'] = [{ ...kept, state: 'reading' }]
    await page.press('Read the site’s customers and offers')
    await vi.waitUntil(() => page.text().includes('Reading the site’s'))
    await vi.waitUntil(() => Telling.open.length)
    expect(server.asked.find((one) => one.what.startsWith('POST'))?.body).toEqual({ types })
    expect(again).not.toHaveBeenCalled()
    expect(Telling.open.map((one) => one.address)).toEqual(['/api/sites/4/events'])
    Telling.open[0]?.tell({ snapshot: [kept] })
    await vi.waitUntil(() => again.mock.calls.length)
    expect(Telling.open).toEqual([])
  })

  it('are looked for again though the reading was over before anybody saw it', async () => {
    const page = await openUnread()
    server.answers['GET /api/sites/4/snapshot'] = [kept]
    await page.press('Read the site’s customers and offers')
    await vi.waitUntil(() => again.mock.calls.length)
  })

  it('wait for a check that began before they were read', async () => {
    const page = await openUnread()
    checking.value = true
    server.answers['GET /api/sites/4/snapshot'] = [kept]
    await page.press('Read the site’s customers and offers')
    await vi.waitUntil(() => page.text().includes('Read the site’s'))
    expect(again).not.toHaveBeenCalled()
    checking.value = false
    await nextTick()
    expect(again).toHaveBeenCalledOnce()
  })

  it('are told to those who may not read it', async () => {
    const page = await openUnread(true)
    expect(page.text()).toContain('The site’s customers and offers have not been read')
    expect(page.actions()).toEqual([])
  })
})
