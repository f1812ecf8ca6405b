import { expect, it } from 'vitest'
import { createApp, h } from 'vue'
import LedgerCell from '@/ledger/LedgerCell.vue'
import type { Cell } from '@/ledger/useLedger'

function shown(cell: Partial<Cell>): HTMLElement {
  const place = document.createElement('div')
  const plain: Cell = {
    mark: '',
    note: '',
    none: false,
    marked: '',
    tone: '',
    sentence: false,
    alone: false,
    quiet: true,
  }
  createApp({ render: () => h(LedgerCell, { cell: { ...plain, ...cell } }) }).mount(place)
  return place
}
/** The lines of a cell as a person reads them. */
function lines(cell: Partial<Cell>): string[] {
  return [...shown(cell).querySelectorAll('.line')].map((line) => (line.textContent ?? '').replace('\u00a0', '').trim())
}

it('shows what was supplied above what landed, and words in the place of either', () => {
  expect(lines({ upper: ' berg ', lower: 'Berg' })).toEqual(['berg', 'Berg'])
  expect(lines({ upper: 'x', below: '–' })).toEqual(['x', '–'])
  expect(lines({ lower: 'Grove', above: 'not sent' })).toEqual(['not sent', 'Grove'])
  expect(lines({ upper: 'x', alone: true })).toEqual(['x'])
})

it('has a mark that is not colour alone before the line that it is of', () => {
  const held = shown({ upper: 'Bonsai', below: 'has no value set', mark: 'held', marked: 'lower', sentence: true })
  expect([...held.querySelectorAll('.line')].map((line) => line.querySelectorAll('rect').length)).toEqual([0, 1])
  const good = shown({ upper: 'Bonsai', mark: 'good', marked: 'upper', alone: true })
  expect(good.querySelectorAll('.line circle')).toHaveLength(1)
})

it('shows line ends as what they are, so that a cell keeps its two lines', () => {
  expect(lines({ upper: 'two\nlines', lower: 'two\r\nlines' })).toEqual(['two⏎lines', 'two⏎lines'])
})
