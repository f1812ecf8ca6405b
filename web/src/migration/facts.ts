import type { Board } from '@/migration/useMigration'
import { plain, type Fact } from '@/parts/marks'
import { counted, number, span } from '@/parts/format'
import { age } from '@/sites/useSnapshot'

/** What the board shows: itself, or its links as a table. */
export type Shown = 'board' | 'links'

/** Whether nothing is left to be sent of any import. */
function isSent({ cards }: Board) {
  return (
    cards.length > 0 &&
    cards.every(({ stations }) => stations.every((one) => one.station !== 'run' || one.done + one.held >= 1))
  )
}

/** The migration at a glance. */
export function facts(board: Board, now: number): Fact<Shown>[] {
  const { records, held, links_found: found, links_missing: missing, seconds_expected: seconds } = board
  const lost: Fact<Shown>['parts'] = missing ? [{ mark: 'held', text: number(missing) }] : []
  return [
    {
      shows: 'board',
      head: `${counted(board.cards.length, 'sheet')}, ${counted(board.layers, 'layer')}`,
      parts: plain(`${counted(records, 'record')} to go`),
    },
    {
      shows: 'links',
      head: 'Links',
      parts: found || missing ? [{ mark: '', text: `${number(found)} found` }, ...lost] : plain('not counted yet'),
    },
    {
      head: 'Held',
      parts: held ? [{ mark: 'held', text: `${number(held)} of ${number(records)}` }] : plain('none'),
    },
    {
      head: 'Create, update',
      parts:
        board.create || board.update
          ? [
              { mark: 'good', text: number(board.create) },
              { mark: 'changed', text: number(board.update) },
            ]
          : plain('not rehearsed'),
    },
    {
      head: 'Time',
      parts: plain(seconds ? `about ${span(seconds)}` : isSent(board) ? 'all is sent' : 'not known before a run'),
    },
    { head: 'Way back', parts: plain(board.read_at ? `snapshot ${age(board.read_at, now)}` : 'the site is not read') },
  ]
}
