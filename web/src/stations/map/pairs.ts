/** Pairs of a value table as text: pasted from a spreadsheet, and given back as one. */

export type Pairs = Record<string, string>

/** Lines of two cells, divided by a tab, a semicolon or a comma; quotes as in CSV (RFC 4180). */
export function readPairs(text: string): { pairs: Pairs; unread: string[] } {
  const pairs: Pairs = {}
  const unread: string[] = []
  for (const line of text.split(/\r\n|\n|\r/)) {
    if (!line.trim()) continue
    const cells = cellsOf(line)
    if (cells.length < 2 || !cells[0]) unread.push(line)
    else pairs[cells[0]] = cells[1] ?? ''
  }
  return { pairs, unread }
}

function cellsOf(line: string): string[] {
  const delimiter = ['\t', ';', ','].find((mark) => line.includes(mark)) ?? '\t'
  const cells: string[] = []
  let cell = ''
  let quoted = false
  for (let at = 0; at < line.length; at += 1) {
    const mark = line[at]
    if (quoted && mark === '"' && line[at + 1] === '"') {
      cell += '"'
      at += 1
    } else if (mark === '"' && (quoted || !cell.trim())) {
      quoted = !quoted
      if (quoted) cell = ''
    } else if (mark === delimiter && !quoted) {
      cells.push(cell.trim())
      cell = ''
    } else cell += mark
  }
  return [...cells, cell.trim()]
}

/** The pairs as CSV; a cell that a spreadsheet would compute is written as text. */
export function writePairs(rows: { value: string; count: number; site: string }[]): string {
  const lines = [['Supplied', 'On the site', 'Rows'], ...rows.map((row) => [row.value, row.site, String(row.count)])]
  return lines.map((cells) => cells.map(written).join(',')).join('\r\n') + '\r\n'
}

function written(cell: string): string {
  const safe = /^[=+\-@\t\r]/.test(cell) && Number.isNaN(Number(cell)) ? `'${cell}` : cell
  return /[",\r\n]/.test(safe) ? `"${safe.replaceAll('"', '""')}"` : safe
}
