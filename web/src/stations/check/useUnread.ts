import { computed, ref, watch } from 'vue'
import { isReading, useReadSite, useSnapshot } from '@/sites/useSnapshot'

/**
 * Has the site's records read that links mean, and checks again once they are: however short the reading was, and
 * behind a check that began before it ended, which would be stale.
 */
export function useUnread(site: () => number, types: () => string[], checking: () => boolean, again: () => void) {
  const { data: snapshot } = useSnapshot(site)
  const read = useReadSite()
  const reading = computed(() => read.isPending.value || isReading(snapshot.value))
  const lacking = ref(false)
  const due = ref(false)
  watch(reading, (now) => {
    if (now) lacking.value = types().length > 0
    else due.value = lacking.value && !read.error.value
  })
  watch([due, checking], () => {
    if (!due.value || checking()) return
    due.value = false
    again()
  })
  return { reading, error: read.error, ask: () => read.mutate({ site: site(), types: types() }) }
}
