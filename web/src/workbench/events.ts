import type { Schemas } from '@/api/client'
import { follow } from '@/api/events'
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

/** Follows the work on an import; `changed` is called where more than figures is another. Gives what ends it. */
export function followImport(id: number, key: readonly unknown[], changed: () => void): () => void {
  let stamp: string | null = null
  let afterwards: number | null = null
  return follow<Told>(`/api/imports/${id}/events`, (said) => {
    const known = queries.getQueryData<Overview>(key)
    if (known) queries.setQueryData(key, withTold(known, said))
    if (said.run && said.progress) queries.setQueryData(['run progress', id, said.run.id], said.progress)
    // What is told first may be newer than what was asked for before it.
    if (stamp !== said.stamp) changed()
    else if (afterwards !== said.afterwards) void queries.invalidateQueries({ queryKey: ['follow-ups', id] })
    stamp = said.stamp
    afterwards = said.afterwards
  })
}
