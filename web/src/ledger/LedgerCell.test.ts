import { expect, it } from 'vitest'
import { createApp, h } from 'vue'
import LedgerCell from '@/ledger/LedgerCell.vue'
import type { Cell } from '@/ledger/useLedger'

type Station = 'map' | 'check' | 'rehearse' | 'verify'

function shown(station: Station, cell: Partial<Cell>, fed: boolean): HTMLElement {
  const place = document.createElement('div')
  const whole: Cell = { upper: null, lower: null, mark: '', note: '', none: false, ...cell }
  createApp({ render: () => h(LedgerCell, { cell: whole, station, fed }) }).mount(place)
  return place
}
/** The shape of the mark beside the lower line. */
const shape = (station: Station, cell: Partial<Cell>) => shown(station, cell, true).querySelector('svg > *')?.tagName

/** The two lines of a cell as a person reads them. */
function lines(station: Station, cell: Partial<Cell>, fed = true): string[] {
  const place = shown(station, cell, fed)
  return [...place.querySelectorAll('.line')].map((line) => (line.textContent ?? '').replace('\u00a0', '').trim())
}

it('shows what was supplied above what landed', () => {
  expect(lines('map', { upper: ' berg ', lower: 'Berg' })).toEqual(['berg', 'Berg'])
  expect(lines('map', { upper: 'x', lower: null })[1]).toBe('–')
  expect(lines('map', { upper: 'x' }, false)[1]).toBe('')
})

it('shows why a value does not land in its place, with a mark that is not colour alone', () => {
  const held: Partial<Cell> = { upper: 'Bonsai', mark: 'held', note: 'has no value set' }
  expect(lines('map', held)).toEqual(['Bonsai', 'has no value set'])
  const warned: Partial<Cell> = { upper: 'x', mark: 'warned', note: 'is far from the rest' }
  expect(lines('check', warned)[1]).toBe('far from the rest')
  expect([shape('map', held), shape('check', warned)].map((tag) => tag?.toLowerCase())).toEqual(['rect', 'circle'])
})

it('says of a field that nothing feeds why it holds the row', () => {
  const held: Partial<Cell> = { mark: 'held', note: 'is fed by nothing, and the site requires it' }
  expect(lines('map', held, false)[1]).toBe('fed by nothing, and the site requires it')
})

it('shows an accepted finding as accepted at Check, and at Map where nothing lands', () => {
  const cell: Partial<Cell> = { upper: 'Bonsai', mark: 'same', note: 'accepted: has no value set' }
  expect(lines('check', cell)[1]).toBe('accepted')
  expect(lines('map', cell)[1]).toBe('accepted')
  expect(lines('map', { ...cell, lower: 'bonsai' })[1]).toBe('bonsai')
})

it('shows line ends as what they are, so that a cell keeps its two lines', () => {
  expect(lines('map', { upper: 'two\nlines', lower: 'two\r\nlines' })).toEqual(['two⏎lines', 'two⏎lines'])
})

it('says at Verify what differs, and nothing of what was not sent', () => {
  expect(lines('verify', { upper: 'Grove', lower: 'grove', mark: 'held', note: 'differs' })[1]).toMatch(/grove$/)
  expect(lines('verify', { lower: null })[1]).toBe('')
})
