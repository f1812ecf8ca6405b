import type { Ledger } from '@/ledger/useLedger'

/** As wide as what the records hold, in characters of the cells' face, within reason. */
const CHARACTER = 7.6
const longer = (...texts: (string | null | undefined)[]) => Math.max(...texts.map((text) => text?.length ?? 0))

/** The widths in pixels that the columns of a ledger's records would have. */
export function widths(ledger: Ledger): number[] {
  return ledger.records.map((_, at) => {
    const longest = Math.max(...ledger.lines.map(({ cells }) => longer(cells[at]?.upper, cells[at]?.lower)), 0)
    return Math.round(Math.min(Math.max(longest, 14), 30) * CHARACTER + 20)
  })
}
