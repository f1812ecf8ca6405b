import { describe, expect, it, vi } from 'vitest'
import LinkPanel from '@/stations/map/LinkPanel.vue'
import LookOrder from '@/stations/map/LookOrder.vue'
import MakeForm from '@/stations/map/MakeForm.vue'
import { open, type Page } from '@/testing/page'
import { server } from '@/testing/server'

const rule = {
  by: ['email'],
  parted_by: '',
  look: ['site', 'sheet'],
  missing: 'hold',
  fixed: '',
  made: {},
  several: 'hold',
}
const link = {
  to: 'customers',
  one: 'customer',
  many: false,
  rule,
  title: 'E-mail',
  further: [],
  keys: [
    { by: [], title: 'Id, as the site takes it' },
    { by: ['email'], title: 'E-mail' },
  ],
  steps: {},
  in_tree: false,
  active: null,
  makes: [
    { path: 'name', title: 'Name', required: true },
    { path: 'notes', title: 'Notes', required: false },
  ],
  total: 40,
  places: [
    { place: 'on the site', count: 30, awaited: false },
    { place: 'to be brought by People', count: 4, awaited: true },
  ],
  blank: 1,
  missing: 5,
  several: 0,
  unread: false,
  distinct_missing: 2,
  misses: [{ value: 'mai@x.no', count: 3, near: 'mia@x.no' }],
  doubles: [],
}
const choose = (page: Page, label: string, value: string) => {
  const field = page.find(`[aria-label="${label}"]`) as HTMLSelectElement
  field.value = value
  field.dispatchEvent(new Event('change'))
}

describe('a link', () => {
  async function panel(part: Partial<typeof link> | Record<string, unknown> = {}) {
    const onChange = vi.fn()
    const onPair = vi.fn()
    server.answers['POST /api/imports/7/link'] = { ...link, ...part }
    server.answers['GET /api/sites/2/snapshot'] = []
    const page = await open(LinkPanel, {
      id: 7,
      siteId: 2,
      path: 'customer_id',
      mapping: { left_out: [] },
      columns: ['Customer', 'Remark'],
      disabled: false,
      onChange,
      onPair,
    })
    await vi.waitUntil(() => page.text().includes('Looked for'))
    return { page, onChange, onPair }
  }

  it('tells where its references were found, and offers what is near a miss', async () => {
    const { page, onPair } = await panel()
    expect(page.text()).toContain('on the site30')
    expect(page.text()).toContain('nowhere: hold the record5')
    expect(page.find('[role=img]').getAttribute('aria-label')).toBe('30 found, 4 to be brought, 5 found nowhere')
    await page.press('→ mia@x.no')
    expect(onPair).toHaveBeenCalledWith('mai@x.no', 'mia@x.no')
  })

  it('has what is nowhere made, fed by what the columns beside it suggest', async () => {
    const { page, onChange } = await panel()
    const name = { columns: ['Customer'], steps: [], blank: 'keep', reasons: [] }
    server.answers['GET /api/imports/7/link/made'] = { name }
    choose(page, 'When it is found nowhere', 'make')
    await vi.waitUntil(() => onChange.mock.calls.length)
    expect(onChange).toHaveBeenCalledWith({ ...rule, missing: 'make', made: { name } })
    expect(server.asked.at(-1)?.query).toEqual({ field: 'customer_id' })
  })

  it('can be looked for by a path only where records stand in a tree', async () => {
    expect((await panel()).page.text()).not.toContain('as a path from the top')
    const { page, onChange } = await panel({ in_tree: true, rule: { ...rule, by: ['name'] } })
    page.find('.path input').click()
    expect(onChange).toHaveBeenCalledWith({ ...rule, by: ['name'], parted_by: '>' })
  })

  it('means the active one of several only where the site says which are', async () => {
    const options = (page: Page) =>
      [...(page.find('[aria-label="When several have the key"]') as HTMLSelectElement).options].map((one) => one.text)
    expect(options((await panel()).page)).not.toContain('mean the active one, by Status')
    expect(options((await panel({ active: 'Status' })).page)).toContain('mean the active one, by Status')
  })
})

it('is looked for in places in an order that can be changed', async () => {
  const onChange = vi.fn()
  const page = await open(LookOrder, { look: ['site', 'imports'], disabled: false, onChange })
  await page.press('Look in other imports sooner')
  expect(onChange).toHaveBeenLastCalledWith(['imports', 'site'])
  page.find('input').click()
  expect(onChange).toHaveBeenLastCalledWith(['imports'])
})

describe('what a record has that is made', () => {
  const fields = link.makes
  const given = { one: 'customer', keyTitle: 'E-mail', fields, steps: {}, columns: ['Customer'], disabled: false }

  it('shows what is required, and is fed by a column, its key, or the same for all', async () => {
    const onChange = vi.fn()
    const page = await open(MakeForm, { ...given, made: {}, onChange })
    expect(page.text()).toContain('Name •')
    choose(page, 'What feeds Name', 'Customer')
    const fresh = { steps: [], blank: 'keep', reasons: [] }
    expect(onChange).toHaveBeenLastCalledWith({ name: { columns: ['Customer'], constant: null, ...fresh } })
    choose(page, 'What feeds Name', 'its key')
    expect(onChange).toHaveBeenLastCalledWith({ name: { columns: ['its key'], constant: null, ...fresh } })
    choose(page, 'Feed another field', 'notes')
    expect(onChange.mock.lastCall?.[0]).toHaveProperty('notes')
  })

  it('is taken away again, and says what is done to a value on its way', async () => {
    const onChange = vi.fn()
    const name = { columns: ['Customer'], steps: [{ kind: 'trim' }], blank: 'keep', reasons: [] }
    const page = await open(MakeForm, { ...given, made: { name }, steps: { name: ['Trim spaces'] }, onChange })
    expect(page.text()).toContain('Trim spaces')
    choose(page, 'What feeds Name', '')
    expect(onChange).toHaveBeenLastCalledWith({})
    await page.press('Feed nothing but the key')
    expect(onChange).toHaveBeenLastCalledWith({})
  })
})
