import { ref, watch, type Ref } from 'vue'

/**
 * Which of some options is highlighted, and so what Enter takes: moved by ↑ and ↓, round the ends, and kept in sight.
 * `first` says which one is when the options change: -1 for none. Option `index` has the id `${id}-${index}`.
 */
export function usePicked<T>(options: Ref<readonly T[]>, id: string, first: (now: readonly T[], at: number) => number) {
  const at = ref(-1)
  watch(options, (now) => (at.value = first(now, at.value)), { immediate: true })

  function move(by: 1 | -1) {
    const count = options.value.length
    if (!count) return
    at.value = at.value < 0 ? (by > 0 ? 0 : count - 1) : (at.value + by + count) % count
    document.getElementById(`${id}-${at.value}`)?.scrollIntoView({ block: 'nearest' })
  }
  return { at, move, active: () => (at.value < 0 ? undefined : `${id}-${at.value}`) }
}
