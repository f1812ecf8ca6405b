import { describe, expect, it, vi } from 'vitest'
import FindingList from '@/stations/check/FindingList.vue'
import FindingRemedies from '@/stations/check/FindingRemedies.vue'
import type { Group } from '@/stations/check/useFindings'
import { overview } from '@/testing/overview'
import { open } from '@/testing/page'
import { refusal, server } from '@/testing/server'

const bonsai: Group = {
  field: 'plan',
  rule: 'no value set',
  title: 'Plan has no value set',
  remedy: 'Set one in the value table.',
  blocks: true,
  acceptable: true,
  demanded: false,
  count: 12,
  accepted: 0,
  values: [['Bonsai ', 12]],
  sheet: '',
  first_rows: [],
}
const acceptance = { field: 'plan', rule: 'no value set', by: 'bo', at: '2026-11-26T09:00:00Z', row: null }

describe('the list', () => {
  it('says that nothing was found', async () =>
    expect((await open(FindingList, { groups: [], chosen: undefined })).text()).toBe('Nothing was found.'))

  it.each<[string, Partial<Group>, string, string]>([
    ['holds', {}, 'Holds the rows. Set one in the value table.', 'rect'],
    ['warns', { blocks: false }, 'Warns; the rows can go. Set one in the value table.', 'circle'],
    ['is accepted', { accepted: 12 }, 'Accepted; the rows can go.', 'path'],
  ])('says what one that %s does to its rows, by word and by shape', async (_, more, effect) => {
    const group = { ...bonsai, ...more }
    const page = await open(FindingList, { groups: [group], chosen: group })
    expect(page.find('.detail p').textContent?.trim()).toBe(effect)
    expect(page.find('[aria-pressed=true]').textContent).toMatch(/Plan has no value set\s*12/)
  })

  it('marks what holds, what warns and what is accepted by different shapes', async () => {
    const shapes = []
    for (const more of [{}, { blocks: false }, { accepted: 12 }])
      shapes.push(
        (await open(FindingList, { groups: [{ ...bonsai, ...more }], chosen: undefined })).find('svg').innerHTML,
      )
    expect(new Set(shapes).size).toBe(3)
  })

  it('shows the values with the blanks that nobody sees, or else the first rows', async () => {
    const values = await open(FindingList, { groups: [bonsai], chosen: bonsai })
    expect(values.find('.values').textContent).toContain('Bonsai␣')
    const many = { ...bonsai, values: [], first_rows: [2, 1284], count: 9 }
    const rows = await open(FindingList, { groups: [many], chosen: many })
    expect(rows.text()).toContain('Rows 2, 1,284 …')
    const all = { ...many, count: 2 }
    expect((await open(FindingList, { groups: [all], chosen: all })).text()).toMatch(/Rows 2, 1,284$/)
  })

  it('tells which one was chosen', async () => {
    const choose = vi.fn()
    const page = await open(FindingList, { groups: [bonsai], chosen: undefined, onChoose: choose })
    await page.press(/Plan has no value set/)
    expect(choose).toHaveBeenCalledWith(bonsai)
  })
})

describe('what can be done about one', () => {
  async function remedies(
    more: Partial<Group> = {},
    rows: number[] = [2, 3],
    disabled = false,
    accepted: unknown[] = [],
  ) {
    server.answers['GET /api/imports/7/acceptances'] = accepted
    server.answers['GET /api/imports/7'] = overview({})
    const page = await open(FindingRemedies, { id: 7, group: { ...bonsai, ...more }, rows, disabled })
    await vi.waitUntil(() => server.asked.length)
    return page
  }

  it('is to settle it at Map, to leave the rows out, or to accept it', async () => {
    const page = await remedies()
    expect(page.actions()).toEqual([
      'Open the value table',
      'Leave the 12 rows out',
      'Accept it in the 2 rows shown',
      'Accept it in every row, now and later',
    ])
    expect(page.find('a').getAttribute('href')).toBe('/imports/7/map?field=plan&records=held')
  })

  it.each([
    ['step', 'Change the steps'],
    ['enum', 'Open the value table'],
    ['required', 'Change what feeds it'],
    ['day or month', 'Change the steps'],
  ])('of %s is settled where it arises: %s', async (rule, name) =>
    expect((await remedies({ rule })).actions()[0]).toBe(name),
  )

  it('leads nowhere for a rule over whole records', async () =>
    expect((await remedies({ field: '', rule: 'dependentRequired' })).actions()[0]).toBe('Leave the 12 rows out'))

  it('does not offer to accept for some rows where all are shown', async () =>
    expect((await remedies({ count: 2 })).actions()).not.toContain('Accept it in the 2 rows shown'))

  it('says that the site will most likely refuse what its own description forbids', async () => {
    expect((await remedies({})).text()).not.toContain('refuse')
    const page = await remedies({ rule: 'enum', demanded: true })
    expect(page.text()).toContain('the site will most likely refuse the 12 rows')
    expect(page.actions()).toContain('Accept it in every row, now and later')
  })

  it('does not offer to accept what cannot be sent, and says why', async () => {
    const page = await remedies({ acceptable: false })
    expect(page.actions().filter((name) => name.startsWith('Accept'))).toEqual([])
    expect(page.text()).toContain('It cannot be accepted: such a row cannot be sent, or would stand twice.')
  })

  it.each<[string, string, unknown]>([
    [
      'Accept it in every row, now and later',
      'PUT /api/imports/7/acceptances',
      { field: 'plan', rule: 'no value set' },
    ],
    [
      'Accept it in the 2 rows shown',
      'PUT /api/imports/7/acceptances',
      { field: 'plan', rule: 'no value set', rows: [2, 3] },
    ],
  ])('%s', async (name, what, body) => {
    const page = await remedies()
    server.answers[what] = overview({})
    await page.press(name)
    await vi.waitUntil(() => server.asked.some((one) => one.what === what))
    expect(server.asked.find((one) => one.what === what)?.body).toEqual(body)
  })

  it('is told to have been done, by whom and when, and is taken back', async () => {
    const page = await remedies({ accepted: 12 }, [], false, [acceptance])
    await vi.waitUntil(() => page.text().includes('Accepted by bo, 26 Nov 2026'))
    expect(page.actions()).toEqual(['Take it back'])
    server.answers['DELETE /api/imports/7/acceptances'] = overview({})
    await page.press('Take it back')
    await vi.waitUntil(() => server.asked.some((one) => one.what.startsWith('DELETE')))
    expect(server.asked.find((one) => one.what.startsWith('DELETE'))?.query).toEqual({
      field: 'plan',
      rule: 'no value set',
    })
  })

  it('says how many of them are accepted where it is not all', async () => {
    const page = await remedies({ accepted: 5 }, [], false, [acceptance])
    await vi.waitUntil(() => page.text().includes('5 of 12 findings accepted by bo'))
  })

  it('is nothing for a viewer, who sees what was accepted', async () => {
    const page = await remedies({ accepted: 12 }, [2], true, [acceptance])
    await vi.waitUntil(() => page.text().includes('Accepted by bo'))
    expect(page.actions()).toEqual([])
  })

  it('says what the server refuses', async () => {
    const page = await remedies()
    server.answers['PUT /api/imports/7/acceptances'] = refusal(409, 'The check is stale.', 'Check again.')
    await page.press('Accept it in every row, now and later')
    await vi.waitUntil(() => page.text().includes('The check is stale. Check again.'))
  })
})
