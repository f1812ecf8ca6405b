import { describe, expect, it, vi } from 'vitest'
import ImportsView from '@/imports/ImportsView.vue'
import { matching, ordered, states, type Listed } from '@/imports/states'
import { open } from '@/testing/page'
import { server } from '@/testing/server'

const one = (id: number, more: Partial<Listed> = {}): Listed => ({
  id,
  name: 'Customers',
  site_id: 1,
  site: 'Quillmoss',
  record_type: 'customers',
  filename: `customers-${id}.csv`,
  rows: 2412,
  state: 'checked',
  ready: 2381,
  held: 31,
  sent: null,
  refused: null,
  differ: null,
  created_by: 'ada',
  created_at: '2026-11-20T09:00:00Z',
  changed_by: 'ada',
  changed_at: `2026-11-2${id}T09:00:00Z`,
  has_run: false,
  ...more,
})

const said = (more: Partial<Listed>) => {
  const item = one(1, more)
  const { title, mark, says } = states[item.state]
  return [mark(item), title, says(item)].filter(Boolean).join(': ')
}

it.each<[Partial<Listed>, string]>([
  [{ state: 'read', held: null }, 'Read'],
  [{ state: 'mapped' }, 'Mapped'],
  [{ state: 'checked' }, 'held: Checked: 31 held, 2,381 ready'],
  [{ state: 'checked', held: 0, ready: 9 }, 'good: Checked: 9 ready'],
  [{ state: 'rehearsed' }, 'warned: Rehearsed: 31 held, 2,381 ready'],
  [{ state: 'running', sent: 40, refused: 0 }, 'changed: Running: 40 taken'],
  [{ state: 'paused', sent: 40, refused: 2 }, 'warned: Paused: 40 taken, 2 refused'],
  [{ state: 'carried out', sent: 40, refused: 2 }, 'held: Carried out: 40 taken, 2 refused'],
  [{ state: 'verified', sent: 40, refused: 0 }, 'good: Verified: 40 taken'],
  [{ state: 'verified', sent: 40, refused: 2 }, 'warned: Verified: 40 taken, 2 refused'],
  [{ state: 'differs', differ: 3 }, 'held: Differs: 3 fields differ on the site'],
])('says of an import that is %o', (more, text) => expect(said(more)).toBe(text))

describe('the list', () => {
  const all = [
    one(1, { name: 'Old shop', state: 'verified' }),
    one(2, { site: 'Quillmoss new site', created_by: 'bo' }),
    one(3, { name: 'Members', rows: 7 }),
  ]
  const ids = (found: Listed[]) => found.map((item) => item.id)

  it('is searched by name, file, site and person', () => {
    expect(ids(matching(all, ' OLD ', '', ''))).toEqual([1])
    expect(ids(matching(all, 'customers-3', '', ''))).toEqual([3])
    expect(ids(matching(all, 'new site', '', ''))).toEqual([2])
    expect(ids(matching(all, 'bo', '', ''))).toEqual([2])
    expect(ids(matching(all, '', 'checked', ''))).toEqual([2, 3])
    expect(ids(matching(all, '', 'checked', 'Quillmoss'))).toEqual([3])
  })

  it('is put in order, either way', () => {
    expect(ids(ordered(all, 'changed', true))).toEqual([3, 2, 1])
    expect(ids(ordered(all, 'name', false))).toEqual([2, 3, 1])
    expect(ids(ordered(all, 'rows', true))).toEqual([2, 1, 3])
    expect(ids(ordered(all, 'state', true))).toEqual([1, 3, 2])
  })

  it('opens an import where one goes on, by its whole line', async () => {
    server.answers['GET /api/imports'] = all
    server.answers['GET /api/sites'] = [{ id: 1, name: 'Quillmoss', record_types: [] }]
    const page = await open(ImportsView, {}, { at: '/', role: 'editor' })
    await vi.waitUntil(() => page.text().includes('Old shop'))
    page.find('tbody tr:nth-child(3) td:nth-child(4)').dispatchEvent(new MouseEvent('click', { bubbles: true }))
    await vi.waitUntil(() => page.router.currentRoute.value.path === '/imports/1/verify')
  })

  it('teaches the first steps while it is empty', async () => {
    server.answers['GET /api/imports'] = []
    server.answers['GET /api/sites'] = [{ id: 1, name: 'Quillmoss', record_types: [] }]
    const page = await open(ImportsView, {}, { at: '/', role: 'editor' })
    await vi.waitUntil(() => page.text().includes('The plan is carried out, record by record.'))
    expect(page.find('.steps').querySelectorAll('li')).toHaveLength(6)
  })
})
