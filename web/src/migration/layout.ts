import { number } from '@/parts/format'
import type { Board } from '@/migration/useMigration'

type Shown = Pick<Board, 'cards' | 'lines'>

export interface Placed {
  id: number
  x: number
  y: number
}
/** A line from a record to what it names; several links between the same two imports share one. */
export interface Drawn {
  key: string
  from: number
  to: number
  path: string
  x: number
  y: number
  label: string
  lost: boolean
  later: boolean
}

export const CARD = { width: 262, height: 80 }
/** Columns stand so far apart at least, and no further than lines are easily followed. */
const NEAREST = 314
const FURTHEST = 420
const TOP = 34
const GAP = 26
const LEFT = 18

export interface Layout {
  at: Map<number, Placed>
  step: number
  width: number
  height: number
}

/** The cards of a board in columns, one a layer, over so much room: each column in the order of what its cards name, so
 * that few lines cross. */
export function placed({ cards, lines }: Shown, room = 0): Layout {
  const at = new Map<number, Placed>()
  const columns: Board['cards'][] = []
  for (const card of cards) (columns[card.layer] ??= []).push(card)
  const middle = (id: number) => {
    const named = lines.filter((line) => line.import_id === id).flatMap((line) => at.get(line.to_import ?? 0) ?? [])
    return named.length ? named.reduce((sum, one) => sum + one.y, 0) / named.length : 0
  }
  const step = Math.min(Math.max(NEAREST, Math.floor(room / Math.max(columns.length, 1))), FURTHEST)
  columns.forEach((column, layer) => {
    const order = layer ? column.toSorted((one, other) => middle(one.import_id) - middle(other.import_id)) : column
    order.forEach((card, row) =>
      at.set(card.import_id, {
        id: card.import_id,
        x: LEFT + layer * step,
        y: TOP + row * (CARD.height + GAP) + (layer % 2 ? GAP : 0),
      }),
    )
  })
  const most = Math.max(0, ...[...at.values()].map((one) => one.y + CARD.height))
  return { at, step, width: (columns.length - 1) * step + NEAREST, height: most + GAP }
}

/** The lines between cards, each with what it says. */
export function drawn({ lines }: Shown, at: Map<number, Placed>): Drawn[] {
  const together = new Map<string, Board['lines']>()
  for (const line of lines) {
    if (line.to_import === null || !at.has(line.import_id) || !at.has(line.to_import)) continue
    const key = `${line.import_id} ${line.to_import}`
    together.set(key, [...(together.get(key) ?? []), line])
  }
  return [...together].map(([key, several]) => {
    const { import_id: from, to_import: to } = several[0]!
    const [needs, named] = [at.get(from)!, at.get(to!)!]
    const start = { x: named.x + CARD.width, y: named.y + CARD.height / 2 }
    const end = { x: needs.x, y: needs.y + CARD.height / 2 }
    const bend = Math.max(40, (end.x - start.x) / 2)
    const missing = several.reduce((sum, line) => sum + line.missing, 0)
    return {
      key,
      from,
      to: to!,
      path: `M${start.x} ${start.y}C${start.x + bend} ${start.y} ${end.x - bend} ${end.y} ${end.x} ${end.y}`,
      x: (start.x + end.x) / 2,
      y: (start.y + end.y) / 2 - 5,
      label: missing ? number(missing) : said(several),
      lost: missing > 0,
      later: several.some((line) => line.later),
    }
  })
}

/** How many records mean something there, and by what. */
function said(several: Board['lines']): string {
  const count = several.reduce((sum, line) => sum + line.found + line.awaited, 0)
  const by = [...new Set(several.flatMap((line) => line.by))].join(', ')
  return several.some((line) => line.counted) ? `${number(count)} by ${by}` : `by ${by}`
}
