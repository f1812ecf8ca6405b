import { computed, ref, watch, type Ref } from 'vue'
import { useRoute } from 'vue-router'
import { useLedger, type Question } from '@/ledger/useLedger'
import { useRecords } from '@/ledger/useRecords'

type Station = NonNullable<Question['station']>
type Choice = NonNullable<Question['records']>

const FIELD_COLUMN = 200

/**
 * The ledger of a station where nothing is edited, with the records that the address names. `fresh` is anything whose
 * change means that the answer may be another.
 */
export function useStationLedger(
  id: Ref<number>,
  station: Station,
  initial: Choice,
  panel: number,
  more: (query: Record<string, string>) => Question,
  fresh: Ref<unknown>,
) {
  const route = useRoute()
  const total = ref(0)
  const records = useRecords(initial, total, ref(false), FIELD_COLUMN + panel)
  const question = computed<Question>(() => ({
    ...records.question.value,
    station,
    ...more(route.query as Record<string, string>),
  }))
  const { data: ledger, error, refetch } = useLedger(id, question)
  watch(ledger, (now) => (total.value = now?.total ?? 0))
  watch(fresh, () => void refetch())
  return { ledger, error, records, question }
}
