import { describe, expect, it, vi } from 'vitest'
import { apart } from '@/stations/map/apart'
import LinkKeys from '@/stations/map/LinkKeys.vue'
import type { FieldMapping, Mapping } from '@/stations/map/useMapping'
import { open } from '@/testing/page'

const keys = [
  { by: [], title: 'Id, as the site takes it' },
  { by: ['email'], title: 'E-mail' },
  { by: ['name'], title: 'Name' },
  { by: ['vocabulary', 'slug'], title: 'Vocabulary and Slug' },
  { by: [], column: 'No.', title: 'No., a column of notes.csv' },
]
const further = [keys[1]!, keys[2]!, { by: ['address.city'], title: 'City' }]

function choose(label: string, value: string) {
  const select = document.querySelector<HTMLSelectElement>(`[aria-label="${label}"]`)!
  select.value = value
  select.dispatchEvent(new Event('change'))
}

describe('the fields by which a link finds a record', () => {
  async function shown(by: string[], columns: string[] = [], disabled = false, column = '') {
    const change = vi.fn()
    const page = await open(LinkKeys, { keys, further, by, column, columns, disabled, onChange: change })
    return { page, change }
  }

  it('are one, or several that the site keeps unique together', async () => {
    const { change } = await shown(['email'], ['Mail'])
    choose('Found by', '{"by":["vocabulary","slug"],"column":""}')
    expect(change).toHaveBeenLastCalledWith({ by: ['vocabulary', 'slug'], column: '' })
    choose('Found by', '{"by":[],"column":""}')
    expect(change).toHaveBeenLastCalledWith({ by: [], column: '' })
  })

  it('give way to a column of the sheet that brings it, and come back', async () => {
    const { change } = await shown(['email'], ['Answers'])
    choose('Found by', '{"by":[],"column":"No."}')
    expect(change).toHaveBeenLastCalledWith({ by: [], column: 'No.' })
    const { page } = await shown([], ['Answers'], false, 'No.')
    expect(document.querySelector<HTMLSelectElement>('[aria-label="Found by"]')?.selectedOptions[0]?.text).toBe(
      'No., a column of notes.csv',
    )
    expect(page.actions()).not.toContain('and by another field')
  })

  it('are joined by any other field, each with its column', async () => {
    const { page, change } = await shown(['name'], ['Who', 'Town'])
    await page.press('and by another field')
    expect(change).toHaveBeenLastCalledWith({ by: ['name', 'email'], column: '' })
    const both = await shown(['name', 'address.city'], ['Who', 'Town'])
    expect(both.page.text()).toMatch(/Who.*Town/)
    expect(both.page.text()).not.toContain('Feed it from')
    choose('and by 2', 'email')
    expect(both.change).toHaveBeenLastCalledWith({ by: ['name', 'email'], column: '' })
    await both.page.press('Not by City')
    expect(both.change).toHaveBeenLastCalledWith({ by: ['name'], column: '' })
  })

  it('say how many columns they need where there are others', async () =>
    expect((await shown(['name', 'address.city'], ['Who'])).page.text()).toContain('Feed it from 2 columns'))

  it('cannot be changed by who only looks', async () =>
    expect((await shown(['name', 'email'], ['Who', 'Mail'], true)).page.actions()).toEqual([]))
})

it('keeps the columns of several fields apart, and leaves those of one as they are', () => {
  const by = (...names: string[]) => ({ by: names }) as NonNullable<Mapping['links']>[string]
  const fed = { columns: ['Who', 'Town'], steps: [{ kind: 'trim' }, { kind: 'join' }] } as FieldMapping
  expect(apart(fed, by('name')).steps).toHaveLength(2)
  expect(apart(fed, undefined)).toBe(fed)
  expect(apart(fed, by('name', 'address.city')).steps).toEqual([{ kind: 'trim' }])
})
