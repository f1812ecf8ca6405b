import { afterEach, describe, expect, it, vi } from 'vitest'
import BoardView from '@/migration/BoardView.vue'
import { drop, dropping } from '@/migration/dropping'
import { facts } from '@/migration/facts'
import { CARD, drawn, placed } from '@/migration/layout'
import type { Board, Card } from '@/migration/useMigration'
import { open } from '@/testing/page'
import { refusal, server } from '@/testing/server'
import { Telling } from '@/testing/telling'

const STATIONS = ['read', 'map', 'check', 'rehearse', 'run', 'verify'] as const

const card = (id: number, name: string, layer: number, more: Partial<Card> = {}): Card => ({
  import_id: id,
  sheet_id: 10 + id,
  name,
  record_type: name.toLowerCase(),
  files: [`${name.toLowerCase()}.csv`],
  records: 100,
  layer,
  held: 0,
  create: 0,
  update: 0,
  stations: STATIONS.map((station) => ({ station, done: 1, held: 0, stale: '', going: false, text: 'so far' })),
  back: null,
  problem: '',
  ...more,
})

const line = (from: number, to: number | null, more: Partial<Board['lines'][number]> = {}) => ({
  import_id: from,
  to_import: to,
  path: 'customer_id',
  title: 'Customer',
  to_type: 'customers',
  by: ['E-mail'],
  found: 0,
  awaited: 90,
  missing: 0,
  counted: true,
  later: false,
  ...more,
})

const board = (more: Partial<Board> = {}): Board => ({
  id: 3,
  name: 'Quillmoss move',
  site_id: 1,
  site: 'New site',
  kinds: ['customers', 'orders', 'terms'],
  held_most: 2,
  going_to: null,
  stopped: '',
  cards: [card(1, 'Terms', 0), card(2, 'Customers', 0, { held: 31 }), card(4, 'Orders', 1, { create: 70, update: 3 })],
  layers: 2,
  lines: [line(4, 2), line(4, null, { path: 'lines.sku', title: 'SKU', to_type: 'products', awaited: 0, found: 80 })],
  gaps: [],
  undecided: [],
  files: null,
  records: 300,
  held: 31,
  links_found: 170,
  links_missing: 4,
  create: 70,
  update: 3,
  seconds_expected: 120,
  read_at: '2026-11-20T10:00:00Z',
  no_switch: [],
  sends_mail: false,
  ...more,
})

async function shown(more: Partial<Board> = {}) {
  vi.stubGlobal('EventSource', Telling)
  server.answers['GET /api/migrations/3'] = board(more)
  const page = await open(BoardView, { id: 3 })
  await vi.waitUntil(() => page.text().includes('Quillmoss move'))
  return page
}

afterEach(() => {
  vi.unstubAllGlobals()
  dropping.splice(0)
})

describe('where cards stand', () => {
  const three = { cards: board().cards, lines: [line(4, 2)] }

  it('is a column for each layer, and nothing over anything else', () => {
    const { at } = placed(three)
    const boxes = [...at.values()]
    expect(at.get(1)!.x).toBe(at.get(2)!.x)
    expect(at.get(4)!.x).toBeGreaterThan(at.get(2)!.x + CARD.width)
    expect(Math.abs(boxes[0]!.y - boxes[1]!.y)).toBeGreaterThan(CARD.height)
  })

  it('follows what they name, so that lines do not cross', () => {
    const cards = [card(1, 'A', 0), card(2, 'B', 0), card(5, 'Of B', 1), card(6, 'Of A', 1)]
    const { at } = placed({ cards, lines: [line(5, 2), line(6, 1)] })
    expect(at.get(6)!.y).toBeLessThan(at.get(5)!.y)
  })

  it('gives columns the room that there is, up to where lines are hard to follow', () => {
    const apart = (room: number) => placed(three, room).at.get(4)!.x - placed(three, room).at.get(1)!.x
    expect(apart(400)).toBe(apart(0))
    expect(apart(760)).toBe(380)
    expect(apart(4000)).toBeLessThan(500)
  })
})

describe('lines', () => {
  const said = (lines: Board['lines']) => drawn({ cards: board().cards, lines }, placed(board()).at)

  it('lead from what names to what is named, several links between the same two as one', () => {
    const [one, ...others] = said([line(4, 2), line(4, 2, { path: 'payer_id', by: ['Number'], awaited: 5 })])
    expect(others).toEqual([])
    expect(one).toMatchObject({ from: 4, to: 2, label: '95 by E-mail, Number', lost: false })
  })

  it('say what is nowhere, and nothing of counts that nobody has made', () => {
    expect(said([line(4, 2, { missing: 3 })])[0]).toMatchObject({ label: '3', lost: true })
    expect(said([line(4, 2, { counted: false })])[0]!.label).toBe('by E-mail')
    expect(said([line(4, null)])).toEqual([])
  })
})

it('says at a glance how much there is, and what is not known yet', () => {
  const at = new Date('2026-11-20T10:08:00Z').getTime()
  const told = facts(board(), at).map((one) => [one.head, one.parts.map((part) => part.text).join(' ')])
  expect(told).toEqual([
    ['3 sheets, 2 layers', '300 records to go'],
    ['Links', '170 found 4'],
    ['Held', '31 of 300'],
    ['Create, update', '70 3'],
    ['Time', 'about 2 minutes'],
    ['Way back', 'snapshot 8 minutes old'],
  ])
  const bare = {
    cards: board().cards.map((one) => ({
      ...one,
      stations: one.stations.map((at) => ({ ...at, done: at.station === 'run' ? 0.5 : 1 })),
    })),
    links_found: 0,
    links_missing: 0,
    held: 0,
    create: 0,
    update: 0,
    seconds_expected: null,
    read_at: null,
  }
  expect(
    facts(board(bare), at)
      .map((one) => one.parts[0]!.text)
      .slice(1),
  ).toEqual(['not counted yet', 'none', 'not rehearsed', 'not known before a run', 'the site is not read'])
  const sent = facts(board({ seconds_expected: null }), at).find((one) => one.head === 'Time')
  expect(sent!.parts[0]!.text).toBe('all is sent')
})

describe('the board', () => {
  it('is told anew as it changes', async () => {
    const page = await shown()
    await vi.waitUntil(() => Telling.open.length)
    Telling.open[0]!.tell(board({ going_to: 'check' }))
    await vi.waitUntil(() => page.text().includes('Checking all'))
    expect(page.actions()).toContain('Stop')
    expect(page.actions()).not.toContain('Rehearse all')
  })

  it('shows every link as a table', async () => {
    const page = await shown()
    await page.press(/^Links/)
    await vi.waitUntil(() => document.querySelector('[aria-label="Links"] table, table[aria-label="Links"]'))
    expect(page.text()).toMatch(/Orders\s*Customer\s*Customers\s*E-mail\s*0\s*90\s*0/)
    expect(page.text()).toContain('products on the site')
  })

  it('tells what is missing, and leads there', async () => {
    const gap = {
      import_id: 4,
      name: 'Orders',
      path: 'lines.sku',
      title: 'SKU',
      to_type: 'products',
      missing: 44,
      of: 90,
    }
    const page = await shown({ gaps: [{ ...gap, brought: false, unread: false }] })
    expect(page.text()).toContain('Orders name 44 products by SKU that no sheet brings and the site does not have')
    expect(document.querySelector('a[href="/imports/4/map?field=lines.sku"]')).toBeTruthy()
  })

  it('asks what a sheet is that is like nothing', async () => {
    const sheet = { id: 9, filename: 'weather.csv', sheet: '', rows: 4, headers: ['Bed', 'Rain'], guesses: [] }
    const page = await shown({ undecided: [sheet] })
    expect(page.text()).toContain('What is weather.csv?')
    server.answers['PUT /api/migrations/3/sheets/9'] = board()
    await page.press('Take it so')
    await vi.waitUntil(() => !page.text().includes('What is weather.csv?'))
    expect(server.asked.find((one) => one.what.startsWith('PUT'))?.body).toEqual({ record_type: 'customers' })
  })

  it('has all run only once what is not in order was agreed to by name', async () => {
    const stations = card(1, '', 0).stations.map((one) => (one.station === 'run' ? { ...one, done: 0 } : one))
    const page = await shown({ cards: board().cards.map((one) => ({ ...one, stations })) })
    server.answers['GET /api/migrations/3/preflight'] = [
      {
        name: 'pilot',
        state: 'warned',
        imports: { Terms: 'no pilot went first', Orders: 'no pilot went first' },
        remedy: '',
      },
    ]
    await page.press('Run all …')
    await vi.waitUntil(() => document.body.textContent!.includes('Terms and Orders: no pilot went first'))
    const button = [...document.querySelectorAll('button')].find((one) => one.textContent!.includes('Run 3 imports'))!
    expect(button.disabled).toBe(true)
    document.querySelector<HTMLInputElement>('input[value="pilot"]')!.click()
    await vi.waitUntil(() => !button.disabled)
    server.answers['POST /api/migrations/3/go'] = board({ going_to: 'run' })
    button.click()
    await vi.waitUntil(() => page.text().includes('Running all'))
    expect(server.asked.find((one) => one.what.startsWith('POST'))?.body).toEqual({ to: 'run', agreed: ['pilot'] })
  })

  it('says what goes once more, where two need each other', async () => {
    const stations = card(1, '', 0).stations.map((one) => (one.station === 'run' ? { ...one, done: 0 } : one))
    const cards = board().cards.map((one) => ({ ...one, stations }))
    server.answers['GET /api/migrations/3/preflight'] = []
    const page = await shown({ cards, lines: [line(2, 4, { later: true }), line(4, 2)] })
    await page.press('Run all …')
    const said = () => document.body.textContent!.replace(/\s+/g, ' ')
    await vi.waitUntil(() => said().includes('All is in order.'))
    expect(said()).toContain('Customers once more, with what it means of Orders: they need each other')
    expect(said().match(/once more/g)).toHaveLength(1)
  })

  it('says before all are run at which it would stop, as more of it are held than may be', async () => {
    const stations = card(1, '', 0).stations.map((one) => (one.station === 'run' ? { ...one, done: 0 } : one))
    const cards = board().cards.map((one) => ({ ...one, stations, held: one.name === 'Orders' ? 4 : 2 }))
    server.answers['GET /api/migrations/3/preflight'] = []
    const page = await shown({ cards, held_most: 3 })
    await page.press('Run all …')
    const said = () => document.body.textContent!.replace(/\s+/g, ' ')
    await vi.waitUntil(() => said().includes('All is in order.'))
    expect(said()).toContain('It would stop at Orders, of which 4.0 % are held.')
    expect(said()).not.toContain('It would stop at Customers')
  })

  it('looks how all is taken back before it is', async () => {
    const page = await shown()
    server.answers['POST /api/migrations/3/go'] = board({ going_to: 'rehearse undo' })
    await page.press('Take all back …')
    await vi.waitUntil(() => document.body.textContent!.includes('Looking what each record is by now'))
    const back = board().cards.map((one) => (one.import_id === 4 ? { ...one, back: { delete: 70, held: 3 } } : one))
    Telling.open[0]!.tell(board({ cards: back }))
    await vi.waitUntil(() => document.querySelector('.back'))
    expect(document.querySelector('.back')!.textContent).toMatch(/Orders\s*70\s*0\s*0\s*3/)
  })

  it('says why it went no further, and what Datorum refuses', async () => {
    const page = await shown({ stopped: 'Customers: 31 of 100 are held, 31.0 %. The limit is 2 %.' })
    expect(page.text()).toContain('The limit is 2 %.')
    server.answers['POST /api/migrations/3/go'] = refusal(409, 'They are being taken to run.', 'Stop that first.')
    await page.press('Check all')
    await vi.waitUntil(() => page.text().includes('Stop that first.'))
  })

  it('waits for files where there is nothing, and tells those that cannot be read', async () => {
    const page = await shown({ cards: [], lines: [], layers: 0 })
    expect(page.text()).toContain('Drop all that the old site gave')
    class Refusing extends EventTarget {
      upload = {}
      status = 422
      response = { title: 'The file is not text.', detail: 'Export it anew.' }
      onload?: () => void
      open() {}
      setRequestHeader() {}
      send() {
        setTimeout(() => this.onload?.())
      }
    }
    vi.stubGlobal('XMLHttpRequest', Refusing)
    drop(3, [new File(['x'], 'odd.csv')])
    await vi.waitUntil(() => page.text().includes('odd.csv: The file is not text.'))
    await page.press('Put away')
    await vi.waitUntil(() => !page.text().includes('odd.csv'))
  })
})
