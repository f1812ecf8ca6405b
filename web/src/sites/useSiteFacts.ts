import { computed, type Ref } from 'vue'
import type { Schemas } from '@/api/client'
import { counted, number, time } from '@/parts/format'
import { plain, type Fact } from '@/parts/marks'
import { isReading, summed } from '@/sites/useSnapshot'

/** What the page of a site can show beside one of its record types. */
export type Shown = 'map' | 'sign-in' | 'snapshot' | 'limits' | 'history' | 'remove'

/** The site at a glance: each fact with what it opens. */
export function useSiteFacts(
  page: Ref<Schemas['PageView'] | undefined>,
  snapshot: Ref<Schemas['SnapshotView'][] | undefined>,
  kept: Ref<ReturnType<typeof summed>>,
) {
  return computed((): Fact<Shown>[] => {
    if (!page.value) return []
    const { types, site, asks_for: asked, limits } = page.value
    const links = types.reduce((sum, one) => sum + one.links.length, 0)
    return [
      {
        shows: 'map',
        head: `${counted(types.length, 'record type')}, ${counted(links, 'link')}`,
        parts: plain(`described ${time(site.described_at)}`),
      },
      {
        shows: 'sign-in',
        head: 'Sign-in',
        parts: plain(asked.join(', or ') || 'its document does not say what it asks for'),
      },
      {
        shows: 'snapshot',
        head: 'Snapshot',
        parts: plain(isReading(snapshot.value) ? 'being read' : told(kept.value)),
      },
      { shows: 'limits', head: 'Pace', parts: plain(paceOf(limits)) },
      { shows: 'limits', head: 'Quiet hours', parts: plain(quietOf(limits)) },
      { shows: 'history', head: 'History', parts: plain('every run to it') },
    ]
  })
}

const told = ({ types, age, records }: ReturnType<typeof summed>) =>
  types ? `${age}, ${counted(records, 'record')}` : 'not read yet'

function paceOf({ concurrency, per_minute: perMinute }: Schemas['SiteLimits']): string {
  const parts = [concurrency && `${concurrency} at a time`, perMinute && `${number(perMinute)} in a minute`]
  return parts.filter(Boolean).join(', ') || 'as fast as it takes them'
}

const quietOf = ({ quiet }: Schemas['SiteLimits']) =>
  quiet.map((one) => `${one.begins.slice(0, 5)}–${one.ends.slice(0, 5)}`).join(', ') || 'none'
