import { describe, expect, it, vi } from 'vitest'
import AddressPanel from '@/stations/map/AddressPanel.vue'
import ShortcodeList from '@/stations/map/ShortcodeList.vue'
import { open, type Page } from '@/testing/page'
import { server } from '@/testing/server'

const notes = { record_type: 'articles', by: 'slug', column: '', under: 'notes' }
const rule = { hosts: ['old.example'], to: [notes], missing: 'keep' }
const view = {
  hosts: [
    { host: 'old.example', count: 1740 },
    { host: '', count: 90 },
  ],
  ways: [
    { record_type: 'articles', by: 'slug', column: '', title: 'Slug' },
    { record_type: 'course-entries', by: '', column: 'No.', title: 'No., a column of their sheet' },
  ],
  rule: null as typeof rule | null,
  suggested: rule as typeof rule | null,
  total: 1830,
  led: 1800,
  examples: [
    { address: '/notes/a', count: 3, becomes: 'https://new.example/1', waits: false },
    { address: '/notes/b', count: 2, becomes: null, waits: true },
  ],
  nowhere: [{ address: '/fair', count: 30, becomes: null, waits: false }],
  unread: [] as string[],
}
const choose = (page: Page, label: string, value: string) => {
  const field = page.find(`[aria-label="${label}"]`) as HTMLSelectElement
  field.value = value
  field.dispatchEvent(new Event('change'))
}

describe('addresses in texts', () => {
  async function panel(part: Partial<typeof view> = {}) {
    const onChange = vi.fn()
    server.answers['POST /api/imports/7/addresses'] = { ...view, ...part }
    const page = await open(AddressPanel, { id: 7, path: 'body', mapping: { left_out: [] }, disabled: false, onChange })
    await vi.waitUntil(() => page.text().includes('Addresses in it'))
    return { page, onChange }
  }

  it('are counted, and led to the records that are suggested by one click', async () => {
    const { page, onChange } = await panel()
    expect(page.text()).toContain('1,800 of 1,830 lead to records')
    expect(page.text()).toContain('no server named')
    await page.press('Lead them to these records')
    expect(onChange).toHaveBeenLastCalledWith(rule)
  })

  it('are led by hand where nothing is suggested', async () => {
    const { page, onChange } = await panel({ suggested: null, examples: [], nowhere: [] })
    expect(page.text()).toContain('Most lead to no record')
    choose(page, 'What they lead to', JSON.stringify(['course-entries', '', 'No.']))
    expect(onChange).toHaveBeenLastCalledWith({
      hosts: ['old.example'],
      to: [{ record_type: 'course-entries', by: '', column: 'No.', under: '' }],
      missing: 'keep',
    })
  })

  it('show where they lead, what waits and what leads nowhere, and what becomes of that is chosen', async () => {
    const { page, onChange } = await panel({ rule, unread: ['course-entries'] })
    expect(page.find('[role="img"]').getAttribute('aria-label')).toBe('1800 lead to records, 30 lead nowhere')
    expect(page.text()).toContain('the address that its record will have')
    expect(page.text()).toContain('The site’s course entries have not been read.')
    choose(page, 'When one leads nowhere', 'take off')
    expect(onChange).toHaveBeenLastCalledWith({ ...rule, missing: 'take off' })
    await page.press('Leave all addresses as they are')
    expect(onChange).toHaveBeenLastCalledWith(null)
  })

  it('lead to several kinds of records, of which the last that goes takes the rule with it', async () => {
    const { page, onChange } = await panel({ rule })
    await page.press('Add another')
    choose(page, 'What they lead to as well', JSON.stringify(['course-entries', '', 'No.']))
    expect(onChange.mock.lastCall?.[0].to).toEqual([
      notes,
      { record_type: 'course-entries', by: '', column: 'No.', under: '' },
    ])
    ;(page.find('[aria-label="Remove what they lead to, 1"]') as HTMLElement).click()
    expect(onChange).toHaveBeenLastCalledWith(null)
  })
})

describe('shortcodes', () => {
  const shortcodes = [
    { name: 'beds_row', supplied: 85, left: 85 },
    { name: 'advert', supplied: 12, left: 0 },
  ]

  it('that no rule is for can be given one', async () => {
    const onRule = vi.fn()
    const page = await open(ShortcodeList, { shortcodes, ruled: false, disabled: false, onRule })
    expect(page.text()).toContain('left in the text')
    expect(page.text()).toContain('gone')
    await page.press('Say what becomes of them')
    expect(onRule).toHaveBeenCalledOnce()
  })

  it('that a rule keeps are not warned of', async () => {
    const page = await open(ShortcodeList, { shortcodes, ruled: true, disabled: false })
    expect(page.text()).toContain('kept')
    expect(page.text()).not.toContain('Say what becomes of them')
  })
})
