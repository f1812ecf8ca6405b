import { useEventListener, useWindowSize } from '@vueuse/core'
import { computed, ref, watch, type Ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { Question } from '@/ledger/useLedger'
import { isTyping } from '@/workbench/useDialogs'

type Choice = NonNullable<Question['records']>

const FIXED = 420
const INSPECTOR = 336
const RECORD = 170

/** Which records the ledger shows: kept in the address, walked with ← and →. */
export function useRecords(initial: Choice, total: Ref<number>, beside: Ref<boolean>, fixed = FIXED) {
  const route = useRoute()
  const router = useRouter()
  const { width } = useWindowSize()
  const count = computed(() => {
    const room = width.value - fixed - (beside.value ? INSPECTOR : 0)
    return Math.min(7, Math.max(3, Math.floor(room / RECORD)))
  })
  const records = computed<Choice>(() => (route.query.records as Choice) ?? initial)
  const offset = computed(() => Number(route.query.offset ?? 0) || 0)
  const search = computed(() => String(route.query.search ?? ''))
  const seed = ref(1)
  /** Of what records hold several of, the one that is shown. */
  const line = ref(1)

  function show(query: Record<string, string | undefined>) {
    void router.replace({ query: { ...route.query, offset: undefined, ...query } })
  }
  function choose(choice: Choice, more: Record<string, string | undefined> = {}) {
    if (choice === 'random') seed.value += 1
    show({ records: choice, search: undefined, group: undefined, action: undefined, changed: undefined, ...more })
  }
  function walk(by: 1 | -1) {
    const next = offset.value + by * count.value
    if (next >= 0 && next < total.value) show({ offset: String(next) })
  }
  useEventListener(window, 'keydown', (event) => {
    if (isTyping(event) || event.ctrlKey || event.metaKey || event.altKey) return
    if (event.key === 'ArrowLeft') walk(-1)
    if (event.key === 'ArrowRight') walk(1)
  })
  // A shorter answer can leave the place where one stood behind its end.
  watch(total, (now) => {
    if (offset.value >= now && offset.value > 0) show({})
  })
  const question = computed<Question>(() => ({
    records: records.value,
    offset: offset.value,
    count: count.value,
    seed: seed.value,
    search: search.value,
    line: line.value,
  }))
  return { question, records, offset, count, search, line, choose, show, walk }
}
