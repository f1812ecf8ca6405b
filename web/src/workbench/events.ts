import type { Schemas } from '@/api/client'
import { queries } from '@/api/queries'
import type { Overview } from '@/workbench/useImport'

type Told = Schemas['Told']
type Reading = Pick<Schemas['ReadingOfSite'], 'id' | 'state'>

/** Whether both are of the same reading of the site, at the same state: what it has come to is asked for as a whole. */
const alike = (one: Reading, other: Reading) => one.id === other.id && one.state === other.state

/** What is known of an import with what was told of the work on it since. */
export function withTold(overview: Overview, told: Told): Overview {
  const { rehearse, run, verify } = overview
  return {
    ...overview,
    checking: told.checking,
    rehearse:
      rehearse && told.rehearse && alike(rehearse, told.rehearse) ? { ...rehearse, ...told.rehearse } : rehearse,
    run: run && told.run?.id === run.id ? told.run : run,
    verify: verify && told.verify && alike(verify, told.verify) ? { ...verify, ...told.verify } : verify,
  }
}

const AGAIN = 2000

/** Follows the work on an import; `changed` is called where more than figures is another. Gives what ends it. */
export function follow(id: number, key: readonly unknown[], changed: () => void): () => void {
  let source: EventSource | null = null
  let stamp: string | null = null
  let later: ReturnType<typeof setTimeout> | undefined

  function told(event: MessageEvent<string>) {
    const said = JSON.parse(event.data) as Told
    const known = queries.getQueryData<Overview>(key)
    if (known) queries.setQueryData(key, withTold(known, said))
    // What is told first may be newer than what was asked for before it.
    if (stamp !== said.stamp) changed()
    stamp = said.stamp
  }
  function begin() {
    // In surroundings without events what is shown is what was asked for.
    if (!('EventSource' in globalThis) || source) return
    source = new EventSource(`/api/imports/${id}/events`)
    source.addEventListener('told', told)
    source.addEventListener('gone', end)
    source.addEventListener('error', () => {
      // A browser comes back by itself after a break, but not after a refusal, as when the database is away.
      if (source?.readyState !== EventSource.CLOSED) return
      end()
      later = setTimeout(begin, AGAIN)
    })
  }
  function end() {
    clearTimeout(later)
    source?.close()
    source = null
  }
  // A browser has few connections to one server for all its tabs: those that nobody looks at hold none.
  const seen = () => (document.hidden ? end() : begin())
  document.addEventListener('visibilitychange', seen)
  seen()
  return () => {
    document.removeEventListener('visibilitychange', seen)
    end()
  }
}
