import type { Schemas } from '@/api/client'
import { isGuess } from '@/sites/sampled'

type Kind = Pick<Schemas['TypeView'], 'name' | 'links' | 'under'>

/** Where a record type stands on the map. */
export interface Placed {
  name: string
  x: number
  y: number
}
/** A line from a record type to the one that it points at; one to itself is a loop. */
export interface Line {
  key: string
  from: string
  to: string
  label: string
  sure: boolean
}

export const BOX = { width: 174, height: 46 }
const STEP = { x: 296, y: 84 }
const MARGIN = 24
const COLUMNS = 3

/** Record types in columns, each to the right of all that it points at, as far as the columns go; those that have
 * nothing to do with any other come last, side by side. */
export function placed(kinds: Kind[]): { boxes: Placed[]; width: number; height: number } {
  const names = new Set(kinds.map((kind) => kind.name))
  const points = new Map(kinds.map((kind) => [kind.name, targets(kind).filter((to) => names.has(to))]))
  const linked = new Set([...points].flatMap(([from, to]) => (to.length ? [from, ...to] : [])))
  const depth = new Map<string, number>()
  const deep = (name: string, on: Set<string>): number => {
    if (depth.has(name)) return depth.get(name)!
    if (on.has(name)) return 0
    const below = (points.get(name) ?? []).map((to) => deep(to, new Set([...on, name])) + 1)
    const found = Math.min(Math.max(0, ...below), COLUMNS - 1)
    depth.set(name, found)
    return found
  }
  const filled = Array.from({ length: COLUMNS }, () => 0)
  const boxes: Placed[] = []
  const put = (name: string, column: number) => {
    boxes.push({ name, x: MARGIN + column * STEP.x, y: MARGIN + filled[column]! * STEP.y })
    filled[column]! += 1
  }
  for (const { name } of kinds) if (linked.has(name)) put(name, deep(name, new Set()))
  for (const { name } of kinds) if (!linked.has(name)) put(name, filled.indexOf(Math.min(...filled)))
  const used = filled.findLastIndex((count) => count > 0) + 1
  return {
    boxes,
    width: 2 * MARGIN + Math.max(used - 1, 0) * STEP.x + BOX.width,
    height: 2 * MARGIN + Math.max(Math.max(...filled) - 1, 0) * STEP.y + BOX.height + 22,
  }
}

/** The lines between record types; several fields that point at one type share a line. */
export function lines(kinds: Kind[]): Line[] {
  const names = new Set(kinds.map((kind) => kind.name))
  const found = new Map<string, Line & { fields: string[] }>()
  for (const kind of kinds) {
    const links = kind.links.map((link) => ({ to: link.to, field: link.field, sure: !isGuess(link.confidence) }))
    if (kind.under) links.push({ to: kind.under, field: 'belongs to', sure: true })
    for (const link of links.filter(({ to }) => names.has(to))) {
      const key = `${kind.name} ${link.to} ${link.sure}`
      const line = found.get(key) ?? { key, from: kind.name, to: link.to, label: '', sure: link.sure, fields: [] }
      line.fields.push(link.field)
      found.set(key, line)
    }
  }
  return [...found.values()].map(({ fields, ...line }) => ({ ...line, label: named(fields) }))
}

const LONGEST = 19

function named([first = '', ...others]: string[]): string {
  const more = others.length ? ` and ${others.length} more` : ''
  const room = LONGEST - more.length
  return (first.length > room ? `${first.slice(0, room - 1)}…` : first) + more
}

const targets = (kind: Kind) => [
  ...kind.links.map((link) => link.to).filter((to) => to !== kind.name),
  ...(kind.under ? [kind.under] : []),
]

/** The lines as they are drawn, those of one box spread along its edge, each with the place of its label. */
export function drawn(kinds: Kind[], boxes: Placed[]): (Line & { path: string; x: number; y: number })[] {
  const at = new Map(boxes.map((box) => [box.name, box]))
  const found = lines(kinds)
  const apart = (end: 'from' | 'to') => {
    const sides = new Map<string, Line[]>()
    for (const line of found.filter((one) => one.from !== one.to))
      sides.set(line[end], [...(sides.get(line[end]) ?? []), line])
    const other = end === 'from' ? 'to' : 'from'
    const share = new Map<Line, number>()
    for (const side of sides.values()) {
      // From above to below as the other ends lie, so that they cross as little as can be.
      side.sort((a, b) => at.get(a[other])!.y - at.get(b[other])!.y)
      side.forEach((line, index) => share.set(line, (index + 1) / (side.length + 1)))
    }
    return share
  }
  const [starts, ends] = [apart('from'), apart('to')]
  return found.map((line) => ({
    ...line,
    ...curve(at.get(line.from)!, at.get(line.to)!, starts.get(line) ?? 0.5, ends.get(line) ?? 0.5),
  }))
}

/** The curve from one box to another, from and to a share of the height of their edges, and where its label stands. */
function curve(from: Placed, to: Placed, start: number, end: number): { path: string; x: number; y: number } {
  if (from.name === to.name) {
    const [left, right, bottom] = [from.x + 50, from.x + 130, from.y + BOX.height]
    return { path: `M${left} ${bottom}v12h${right - left}v-12`, x: (left + right) / 2, y: bottom + 24 }
  }
  const rightwards = to.x > from.x
  const stacked = to.x === from.x
  const [x1, y1] = [from.x + (rightwards ? BOX.width : 0), from.y + BOX.height * start]
  const [x2, y2] = [to.x + (rightwards || stacked ? 0 : BOX.width), to.y + BOX.height * end]
  const [c1, c2] = stacked ? [x1 - 60, x2 - 60] : [(x1 + x2) / 2, (x1 + x2) / 2]
  // Nearer to where it begins: the ends of many lines lie together.
  const t = 0.42
  const on = (a: number, b: number, c: number, d: number) =>
    (1 - t) ** 3 * a + 3 * (1 - t) ** 2 * t * b + 3 * (1 - t) * t ** 2 * c + t ** 3 * d
  return { path: `M${x1} ${y1}C${c1} ${y1} ${c2} ${y2} ${x2} ${y2}`, x: on(x1, c1, c2, x2), y: on(y1, y1, y2, y2) - 3 }
}
