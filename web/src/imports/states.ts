import type { Schemas } from '@/api/client'
import { counted, number } from '@/parts/format'
import type { State } from '@/parts/marks'

export type Listed = Schemas['Listed']
type Known = Listed['state']

interface Shown {
  /** What the state is called, in lists and filters. */
  title: string
  /** The station at which one goes on. */
  station: string
  mark: (one: Listed) => State
  says: (one: Listed) => string
}

const nothing = () => ''
const held = (one: Listed) =>
  one.held ? `${number(one.held)} held, ${number(one.ready ?? 0)} ready` : `${number(one.ready ?? 0)} ready`
const sent = (one: Listed) =>
  one.refused ? `${number(one.sent ?? 0)} taken, ${number(one.refused)} refused` : `${number(one.sent ?? 0)} taken`

/** What each state is called, and what is said of an import that is in it. */
export const states: Record<Known, Shown> = {
  read: { title: 'Read', station: 'read', mark: () => '', says: nothing },
  mapped: { title: 'Mapped', station: 'map', mark: () => '', says: nothing },
  checking: { title: 'Being checked', station: 'check', mark: () => '', says: nothing },
  checked: { title: 'Checked', station: 'check', mark: (one) => (one.held ? 'held' : 'good'), says: held },
  rehearsing: { title: 'Being rehearsed', station: 'rehearse', mark: () => '', says: held },
  rehearsed: { title: 'Rehearsed', station: 'rehearse', mark: (one) => (one.held ? 'warned' : 'good'), says: held },
  running: { title: 'Running', station: 'run', mark: () => 'changed', says: sent },
  paused: { title: 'Paused', station: 'run', mark: () => 'warned', says: sent },
  ended: { title: 'Ended', station: 'run', mark: () => 'warned', says: sent },
  'carried out': {
    title: 'Carried out',
    station: 'verify',
    mark: (one) => (one.refused ? 'held' : 'good'),
    says: sent,
  },
  'reading back': { title: 'Being verified', station: 'verify', mark: () => '', says: sent },
  differs: {
    title: 'Differs',
    station: 'verify',
    mark: () => 'held',
    says: (one) => `${counted(one.differ ?? 0, 'field')} differ on the site`,
  },
  verified: { title: 'Verified', station: 'verify', mark: (one) => (one.refused ? 'warned' : 'good'), says: sent },
}

export type Order = 'name' | 'site' | 'state' | 'rows' | 'changed'

/** Those of some imports that have a text in their name, file, site or owner, and are in a state and on a site. */
export function matching(imports: Listed[], text: string, state: string, site: string): Listed[] {
  const wanted = text.trim().toLowerCase()
  const has = (one: Listed) =>
    [one.name, one.filename, one.site, one.created_by, one.changed_by, String(one.id)].some((part) =>
      part.toLowerCase().includes(wanted),
    )
  return imports.filter((one) => (!state || one.state === state) && (!site || one.site === site) && has(one))
}

const steps = Object.keys(states)
const keys: Record<Order, (one: Listed) => string | number> = {
  name: (one) => one.name.toLowerCase(),
  site: (one) => one.site.toLowerCase(),
  state: (one) => steps.indexOf(one.state),
  rows: (one) => one.rows,
  changed: (one) => one.changed_at,
}

/** Imports in an order, equals by their number. */
export function ordered(imports: Listed[], by: Order, down: boolean): Listed[] {
  const key = keys[by]
  const sign = down ? -1 : 1
  return imports.toSorted((a, b) => {
    const [x, y] = [key(a), key(b)]
    return sign * (x < y ? -1 : x > y ? 1 : a.id - b.id)
  })
}
