import type { Mapping } from '@/stations/map/useMapping'

/** What can be undone and done again, as it stood at one version of the mapping. */
interface Trail {
  version: number
  past: Mapping[]
  future: Mapping[]
}

/** Characters; a browser keeps some five million for a tab. */
const ROOM = 1_500_000
const key = (id: number) => `changes to the mapping of import ${id}`

/** Keep what can be undone in this tab, so that it outlives a reload: the latest changes, as many as there is room for. */
export function keepTrail(id: number, { version, past, future }: Trail) {
  let room = ROOM
  const within = (mapping: Mapping) => (room -= JSON.stringify(mapping).length) >= 0
  const latest = past.toReversed()
  const beyond = latest.findIndex((one) => !within(one))
  const kept = {
    version,
    past: (beyond < 0 ? latest : latest.slice(0, beyond)).toReversed(),
    future: future.filter(within),
  }
  try {
    sessionStorage.setItem(key(id), JSON.stringify(kept))
  } catch {
    // A tab without room for it forgets what came before.
    sessionStorage.removeItem(key(id))
  }
}

/** What could be undone when the mapping was at this version; nothing, where it has been changed elsewhere since. */
export function keptTrail(id: number, version: number): Pick<Trail, 'past' | 'future'> {
  const text = sessionStorage.getItem(key(id))
  const kept = text ? (JSON.parse(text) as Trail) : null
  return kept && kept.version === version ? kept : { past: [], future: [] }
}
