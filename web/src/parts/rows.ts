const MOST = 10_000

/** The numbers of rows as people write them: “12, 15–20”. Nothing where that cannot be read, or is of too many. */
export function rowsIn(text: string): number[] | null {
  const rows = new Set<number>()
  for (const part of text.split(/[,;\s]+(?![\s–-])/).filter(Boolean)) {
    const found = /^(\d{1,9})(?:\s*[–-]\s*(\d{1,9}))?$/.exec(part.trim())
    if (!found) return null
    const first = Number(found[1])
    const last = found[2] === undefined ? first : Number(found[2])
    if (last < first || last - first >= MOST) return null
    for (let row = first; row <= last; row++) rows.add(row)
  }
  return rows.size && rows.size <= MOST ? [...rows] : null
}
